import type { NowRow } from '../../api/now/now.ts';
import type { JourneyReasons } from '../../api/now/reasons.ts';
import { condition } from '../../core/scope/condition.ts';
import { type Scope, withChip, withDurations, withoutField } from '../../core/scope/scope.ts';
import { BackToBack } from '../../ui/charts/BackToBack.tsx';
import { Stripe } from '../../ui/charts/Stripe.tsx';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useReasons } from '../../ui/queries/now.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { originShare, originWords } from '../../ui/topology/originWords.ts';
import { changeWords, STATE_WORDS } from '../../ui/verdict/verdictWords.ts';
import styles from './Now.module.css';
import { harmWords, isWorse, percentileWords, rowWords } from './words.ts';

interface HarmRowProps {
  readonly row: NowRow;
  readonly subject: 'journey' | 'service';
  /** Of the lit window. */
  readonly seconds: number;
  readonly now: number;
  readonly chosen: boolean;
  readonly first: boolean;
  /** Opens the request of the row that took about so long. */
  readonly openNearest: (scope: Scope, durationNs: number) => void;
}

/** A journey or a service: how it is, what changed, for whom, and where it sits; one step from its slow and failed requests. */
export function HarmRow({ row, subject, seconds, now, chosen, first, openNearest }: HarmRowProps) {
  const { scope, href } = useScope();
  const zone = useZone();
  const worse = isWorse(row);
  const reasons = useReasons(scope, worse && subject === 'journey');
  const why = reasons.data?.journeys.find((it) => it.name === row.name);
  const slow = slowOnes(scope, row);
  const failed = withChip(narrowed(scope, row), condition('failed', 'is', 'yes'));
  const main = row.changed === 'failures' ? failed : slow;
  return (
    <li className={styles.row} data-calm={!worse} data-chosen={chosen}>
      <StateGlyph state={row.state} word={STATE_WORDS[row.state]} />
      <div className={styles.what}>
        <h2 title={row.entries.join(', ')}>
          {subject === 'service' ? (
            <a href={href(`/services/${encodeURIComponent(row.name)}`)} suppressHydrationWarning>
              {shownName(row.name)}
            </a>
          ) : (
            shownName(row.name)
          )}
          {subject === 'journey' && row.entries[0] !== row.name && <span> {row.entries.join(', ')}</span>}
        </h2>
        <p className={`mono ${styles.change}`} data-state={row.state} title={percentileWords(row)}>
          {changeWords(row, row.lit, row.before, zone, now)}
        </p>
        <p className="dim">{rowWords(row, seconds, zone, now)}</p>
      </div>
      <BackToBack
        before={row.beforeSpread}
        lit={row.litSpread}
        name={row.name}
        open={(durationNs) => openNearest(narrowed(scope, row), durationNs)}
      />
      <div className={styles.harm}>
        <p>
          <b>{worse ? harmWords(row) : ''}</b>
        </p>
        {worse && subject === 'journey' && <Sits reasons={why} failure={reasons.error} row={row} />}
      </div>
      <div className={styles.actions}>
        <a className={styles.main} data-first={first && worse} href={href('/traces', main)} suppressHydrationWarning>
          {row.changed === 'failures' ? 'Failed ones' : 'Slow ones'}
        </a>
        {worse && (
          <a href={href('/traces', row.changed === 'failures' ? slow : failed)} suppressHydrationWarning>
            {row.changed === 'failures' ? 'slow' : 'failed'}
          </a>
        )}
        {worse && (
          <a
            title="What the bad ones have in common"
            href={contrastPath((path) => href(path, narrowed(scope, row)), {
              how: row.changed === 'failures' ? 'failed' : 'before',
              ...(row.changed === 'failures' ? {} : { outcome: 'duration' as const }),
            })}
            suppressHydrationWarning
          >
            Explain
          </a>
        )}
        {worse && (
          <a href={href('/map', narrowed(scope, row))} suppressHydrationWarning>
            map
          </a>
        )}
      </div>
    </li>
  );
}

function narrowed(scope: Scope, row: NowRow): Scope {
  if (row.entries.length === 0) return withChip(scope, condition('service', 'is', row.name));
  return withChip(withoutField(scope, 'entry'), condition('entry', 'is', ...row.entries));
}

/** The requests that are slower than 1 in 20 was before; all of them when nothing is known of before. */
function slowOnes(scope: Scope, row: NowRow): Scope {
  const within = narrowed(scope, row);
  const bound = row.before.p95Ns ?? row.lit.p95Ns;
  // Of a service the duration is its own, of a trace the whole request's: only the order helps there.
  return bound === null || row.entries.length === 0 ? within : withDurations(within, Math.round(bound / 1e6) * 1e6, undefined);
}

/** Where the extra time or the failures sit, in a stripe and in words. */
function Sits({ reasons, failure, row }: { reasons: JourneyReasons | undefined; failure: Error | null; row: NowRow }) {
  if (failure) return <p className="dim">{failure.message}</p>;
  if (!reasons) return <div className={styles.waiting} aria-hidden="true" />;
  if (row.changed === 'failures') {
    const [lead] = reasons.failures;
    const total = reasons.failures.reduce((sum, it) => sum + it.count, 0);
    return (
      <>
        <Stripe
          high
          parts={reasons.failures.map((it, at) => ({
            key: `${it.party} ${it.what}`,
            share: it.count / total,
            colour: `var(--s-${(at % 12) + 1})`,
          }))}
        />
        <p className="dim" title={`of ${reasons.requests.failed} failed requests`}>
          {lead ? `${shownName(lead.party)} · ${lead.what}` : 'no span says where'}
        </p>
      </>
    );
  }
  const total = reasons.slowness.reduce((sum, it) => sum + it.amount, 0);
  const [lead] = reasons.slowness;
  return (
    <>
      <Stripe
        high
        parts={reasons.slowness.flatMap(({ node, amount, kinds }) => {
          const known = kinds.reduce((sum, it) => sum + it.extraNs, 0);
          return [
            ...kinds.map((it) => ({ key: `${it.kind} ${node}`, share: it.extraNs / total, colour: `var(--t-${it.kind})` })),
            // What comes of more calls has no kind of its own: it is the caller's.
            { key: `calls ${node}`, share: Math.max(0, amount - known) / total, colour: 'var(--t-own)' },
          ];
        })}
      />
      <p
        className="dim"
        title={
          lead
            ? `${originShare(lead)} of the extra time, over ${reasons.requests.lit} requests now, ${reasons.requests.before} before`
            : ''
        }
      >
        {lead ? `${shownName(lead.party)} · ${originWords(lead)}` : 'no part of the time grew'}
      </p>
    </>
  );
}
