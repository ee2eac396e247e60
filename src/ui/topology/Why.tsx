import type { Starts } from '../../api/map/starts.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { useScope } from '../state/scopeState.ts';
import { failureStarts, slownessStarts } from './starting.ts';
import styles from './Topology.module.css';

/** Why a node is said to start the trouble, or to pass it on: how much of it, in which way, and the traces that show it. */
export function Why({ starts, ids }: { starts: Starts | undefined; ids: readonly string[] }) {
  if (!starts) return null;
  const isHere = (it: { node: string }) => ids.includes(it.node);
  const passes = (it: { through: readonly string[] }) => it.through.some((service) => ids.includes(service));
  const failures = failureStarts(starts);
  const slowness = slownessStarts(starts);
  const { machine } = starts.slowness;
  const passedFailures = failures.filter((it) => !isHere(it) && passes(it));
  const passedSlowness = slowness.filter((it) => !isHere(it) && passes(it));
  return (
    <>
      {failures.filter(isHere).map((it) => (
        <div key={`failures ${it.node}`} className={styles.why} data-of="failures">
          <p>
            <b>Failures start here:</b> {formatShare(it.share)} of {starts.failures.failing} failing requests, {it.what}.
          </p>
          <Samples ids={it.traces} />
        </div>
      ))}
      {slowness.filter(isHere).map((it) => (
        <div key={`slowness ${it.node}`} className={styles.why}>
          <p>
            <b>Slowness starts here:</b> {formatShare(it.share)} of {formatDuration(starts.slowness.extraNs)} that requests waited
            longer in all, {it.kinds[0] ? (it.kinds[0].kind === 'remote' ? 'for its answers' : KIND_WORDS[it.kinds[0].kind]) : ''}
            ; from all {formatCount(starts.slowness.requests)} requests of the operations that got slower.
          </p>
          {it.only.map(({ what, name, share }) => (
            <p key={what}>
              {share >= 0.995 ? 'All' : formatShare(share)} of it on {what} <span className="mono">{name}</span>.
            </p>
          ))}
          {machine?.nodes.includes(it.node) && (
            <p>
              {machine.nodes.length} services got slower on <span className="mono">{machine.name}</span> alone; together they have{' '}
              {formatShare(machine.share)} of it.
            </p>
          )}
          <Samples ids={it.traces} />
        </div>
      ))}
      {(
        [
          ['Failures only pass through here;', 'they start at', 'failures', passedFailures],
          ['Slowness only passes through here;', 'it starts in', 'slowness', passedSlowness],
        ] as const
      ).map(([what, where, of, origins]) =>
        origins.length === 0 || failures.some(isHere) || (of === 'slowness' && slowness.some(isHere)) ? null : (
          <div key={of} className={styles.why} data-of={of}>
            <p>
              <b>{what}</b> {where} {origins.map(({ party }) => party).join(', ')}.
            </p>
            <Samples ids={origins[0].traces} />
          </div>
        ),
      )}
    </>
  );
}

function Samples({ ids }: { ids: readonly string[] }) {
  const { href } = useScope();
  if (ids.length === 0) return null;
  return (
    <p className={styles.samples}>
      <span>Seen in</span>
      {ids.slice(0, 3).map((id) => (
        <a key={id} href={href(`/traces/${id}`)} suppressHydrationWarning>
          {id.slice(0, 8)}
        </a>
      ))}
    </p>
  );
}
