import type { MapAnswer, MapEdge, SumAnswer } from '../../api/map/map.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { type Condition, condition } from '../../core/scope/condition.ts';
import { writePattern } from '../../core/scope/conditionText.ts';
import { withChip } from '../../core/scope/scope.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { betweenNs } from '../../ui/topology/between.ts';
import panel from '../../ui/topology/Topology.module.css';
import styles from './Map.module.css';
import { failingShare, rateOf, scaleOf } from './words.ts';

/** The calls from one node to another, as either side measured them. */
export function EdgePanel({ edge, map, choose }: { edge: MapEdge; map: MapAnswer; choose: (id: string) => void }) {
  const { scope, href } = useScope();
  const node = (id: string) => map.nodes.find((it) => it.id === id);
  const [from, to] = [node(edge.from), node(edge.to)];
  const rows: readonly (readonly [string, (sum: SumAnswer, window: MapAnswer['lit']) => string])[] = [
    ['requests', (sum, window) => formatRate(rateOf(sum, window, scaleOf(window)))],
    ['failing', (sum) => formatShare(failingShare(sum))],
    ['mean', (sum) => duration(sum.meanNs)],
    ['p50', (sum) => duration(sum.p50Ns)],
    ['p95', (sum) => duration(sum.p95Ns)],
  ];
  const [gapBefore, gapLit] = [betweenNs(edge.before, edge.beforeCallee), betweenNs(edge.lit, edge.litCallee)];
  const traces = withChip(scope, callCondition(from?.service ?? null, to?.service ?? null));
  const hasTraces = typeof from?.service === 'string' || typeof to?.service === 'string';
  return (
    <div className={panel.panel}>
      <header>
        <h2>
          <button type="button" onClick={() => choose(edge.from)}>
            {from?.name}
          </button>{' '}
          →{' '}
          <button type="button" onClick={() => choose(edge.to)}>
            {to?.name}
          </button>
        </h2>
        <small className="dim">
          {edge.protocol} {edge.turn === 'stays' ? '' : edge.turn}
        </small>
      </header>
      <Sides
        title={edge.litCallee.calls > 0 ? 'As the caller measured' : 'Measured by the caller; the callee sends no telemetry'}
      >
        {rows.map(([name, words]) => (
          <Row key={name} name={name} before={words(edge.before, map.before)} lit={words(edge.lit, map.lit)} />
        ))}
      </Sides>
      {edge.litCallee.calls + edge.beforeCallee.calls > 0 && (
        <Sides title="As the callee measured">
          {rows.map(([name, words]) => (
            <Row key={name} name={name} before={words(edge.beforeCallee, map.before)} lit={words(edge.litCallee, map.lit)} />
          ))}
          {(gapBefore !== null || gapLit !== null) && <Row name="between" before={duration(gapBefore)} lit={duration(gapLit)} />}
        </Sides>
      )}
      <div className={panel.actions}>
        {hasTraces && (
          <a className={styles.main} href={href('/traces', traces)} suppressHydrationWarning>
            Slow traces
          </a>
        )}
      </div>
    </div>
  );
}

/** Traces in which one service calls another; of one alone, those that it takes part in. */
function callCondition(from: string | null, to: string | null): Condition {
  if (from !== null && to !== null) {
    const caller = { conditions: [condition('service', 'is', from)], under: null };
    const callee = { conditions: [condition('service', 'is', to)], under: 'direct' as const };
    return condition('span', 'where', writePattern([caller, callee]));
  }
  return condition('service', 'is', from ?? to ?? '');
}

function Sides({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section>
      <h3>{title}</h3>
      <table className={panel.ends}>
        <tbody>{children}</tbody>
      </table>
    </section>
  );
}

function Row({ name, before, lit }: { name: string; before: string; lit: string }) {
  return (
    <tr>
      <td>{name}</td>
      <td>
        {before} → {lit}
      </td>
    </tr>
  );
}

function duration(ns: number | null): string {
  return ns === null ? '–' : formatDuration(ns);
}
