import type { Starts } from '../../api/map/starts.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { Stripe } from '../charts/Stripe.tsx';
import { timeColour, timeParts } from './stripes.ts';
import styles from './Topology.module.css';

type Time = Starts['time'][number]['lit'];

/** Lines that are written out. */
const MOST_LINES = 5;

/** Where the time of a service's requests goes, before and lit. */
export function TimeGoes({ lit, before }: { lit: Time; before: Time }) {
  const change = (kind: string, party: string) => {
    const of = (time: Time) => time?.lines.find((it) => it.kind === kind && it.party === party)?.ns ?? 0;
    return { before: of(before), lit: of(lit) };
  };
  const lines = [...(lit?.lines ?? []), ...(before?.lines ?? [])].filter(
    (it, at, all) => all.findIndex((other) => other.kind === it.kind && other.party === it.party) === at,
  );
  return (
    <section>
      <h3>Where its time goes</h3>
      <div className={styles.goes}>
        {before && (
          <>
            <Stripe parts={timeParts(before)} />
            <small>before · {formatDuration(before.meanNs)} mean</small>
          </>
        )}
        {lit && (
          <>
            <Stripe parts={timeParts(lit)} />
            <small>lit · {formatDuration(lit.meanNs)} mean</small>
          </>
        )}
      </div>
      <div className={styles.parts}>
        {lines
          .map((it) => ({ ...it, ...change(it.kind, it.party) }))
          .sort((a, b) => Math.max(b.lit, b.before) - Math.max(a.lit, a.before))
          .slice(0, MOST_LINES)
          .map(({ kind, party, before: then, lit: now }) => [
            <i key={`${kind} ${party} mark`} style={{ background: timeColour(kind, party) }} />,
            <span key={`${kind} ${party} words`}>
              {kind === 'below'
                ? `waiting for ${party}`
                : kind === 'own' || kind === 'gap'
                  ? KIND_WORDS[kind]
                  : `${party}, ${KIND_WORDS[kind]}`}
            </span>,
            <span key={`${kind} ${party} time`}>
              {formatDuration(then)} → {formatDuration(now)}
            </span>,
          ])}
      </div>
    </section>
  );
}
