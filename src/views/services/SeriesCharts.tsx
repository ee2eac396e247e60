import { memo } from 'react';
import type { SumPoint } from '../../api/services/figures.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { spikeAround } from '../../core/measures/spike.ts';
import type { Condition } from '../../core/scope/condition.ts';
import { type Scope, withChip } from '../../core/scope/scope.ts';
import { briefDuration } from '../../core/time/duration.ts';
import { PairChart } from '../../ui/charts/PairChart.tsx';
import type { PairLine } from '../../ui/charts/pairRows.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { logsPath } from '../../ui/logs/logsPath.ts';
import { useRibbonMarks } from '../../ui/queries/ribbon.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Service.module.css';
import { coveredMs, type Stretch, throughout } from './steps.ts';

type Series = ServiceOverview['series'];

interface SeriesChartsProps {
  readonly series: Series;
  readonly litWindow: Stretch;
  readonly beforeWindow: Stretch;
  /** What the requests have in common, beside the scope. */
  readonly of?: Condition;
  /** The percentiles of the whole window, and what opens a request that took so long, in a stretch of it or all of it. */
  readonly whole?: Pick<SumPoint, 'p50Ns' | 'p95Ns' | 'p99Ns'>;
  readonly openExample?: (durationNs: number, within?: { from: number; to: number }) => void;
}

/** A stretch shorter than this has too few requests to say what changed. */
const LEAST_MS = 300_000;

/** Rate, failing share and durations over time, lit over before; drawn anew only when they are others. */
export const SeriesCharts = memo(function SeriesCharts({
  series,
  litWindow,
  beforeWindow,
  of,
  whole,
  openExample,
}: SeriesChartsProps) {
  const points = {
    lit: throughout(series.lit, litWindow, series.stepMs),
    before: throughout(series.before, beforeWindow, series.stepMs),
  };
  const lines = (name: string, value: (point: SumPoint, side: 'before' | 'lit') => number | null, main = true): PairLine[] =>
    (['before', 'lit'] as const).map((side) => ({
      name,
      side,
      main,
      points: points[side].map((point) => [point.at, value(point, side)] as const),
    }));
  const { scope, href, change } = useScope();
  /** What changed in the spike that a place belongs to, held against the last calm before it. */
  const offersOf = (value: (point: SumPoint) => number | null, outcome?: 'duration' | 'failures') => (at: number) => {
    const [first, last] = spikeAround(
      points.lit.map((point) => [point.at, value(point)]),
      at,
    );
    const around: Scope = {
      ...(of ? withChip(scope, of) : scope),
      lit: { type: 'fixed', from: first, to: Math.max(last + series.stepMs, first + LEAST_MS) },
      before: { type: 'calm' },
    };
    return [
      {
        label: 'What changed here',
        act: () => location.assign(contrastPath((path) => href(path, around), { how: 'before', ...(outcome && { outcome }) })),
      },
      { label: 'Lines of this stretch', act: () => location.assign(logsPath((path) => href(path, around))) },
      { label: 'Light this stretch', act: () => change({ ...scope, lit: around.lit }) },
    ];
  };
  const marks = useRibbonMarks(scope);
  const flags = (marks.data?.changes ?? []).map(({ at, title }) => ({ at, title }));
  const windows = {
    flags,
    litFrom: Date.parse(litWindow.from),
    beforeFrom: Date.parse(beforeWindow.from),
    stepMs: series.stepMs,
  };
  const examples = [
    ['p50', whole?.p50Ns],
    ['p95', whole?.p95Ns],
    ['p99', whole?.p99Ns],
  ] as const;
  return (
    <div className={styles.charts}>
      <PairChart
        title="Requests"
        offersAt={offersOf(({ calls }) => calls)}
        lines={lines(
          '',
          (it, side) => (it.calls * 1000) / coveredMs(it.at, side === 'lit' ? litWindow : beforeWindow, series.stepMs),
        )}
        format={formatRate}
        {...windows}
      />
      <PairChart
        title="Failing"
        lines={lines('', (it) => (it.calls === 0 ? null : it.failures / it.calls))}
        format={formatShare}
        most={0.01}
        offersAt={offersOf(({ calls, failures }) => (calls === 0 ? null : failures / calls), 'failures')}
        {...windows}
      />
      <div>
        <PairChart
          title="p95, with p50 and p99"
          log
          offersAt={(at) => {
            const p95 = series.lit.find((point) => point.at === at)?.p95Ns;
            const example = openExample &&
              p95 && {
                label: 'A request that took its p95',
                act: () => openExample(p95, { from: at, to: at + series.stepMs }),
              };
            return [...offersOf(({ p95Ns }) => p95Ns, 'duration')(at), ...(example ? [example] : [])];
          }}
          lines={[
            ...lines('p95', (it) => it.p95Ns),
            ...lines('p50', (it) => it.p50Ns, false),
            ...lines('p99', (it) => it.p99Ns, false),
          ]}
          format={briefDuration}
          {...windows}
        />
        {openExample && (
          <p className={styles.examples}>
            a request that took{' '}
            {examples.map(([name, ns]) => (
              <button key={name} type="button" disabled={!ns} onClick={() => ns && openExample(ns)}>
                {name}
              </button>
            ))}
          </p>
        )}
      </div>
    </div>
  );
});
