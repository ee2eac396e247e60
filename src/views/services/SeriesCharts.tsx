import type { SumPoint } from '../../api/services/figures.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { briefDuration } from '../../core/time/duration.ts';
import { PairChart, type PairLine } from '../../ui/charts/PairChart.tsx';
import { useRibbonMarks } from '../../ui/queries/ribbon.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Service.module.css';

type Series = ServiceOverview['series'];

type Stretch = ServiceOverview['litWindow'];

interface SeriesChartsProps {
  readonly series: Series;
  readonly litWindow: Stretch;
  readonly beforeWindow: Stretch;
  /** The percentiles of the whole window, and what opens a request that took so long, in a stretch of it or all of it. */
  readonly whole?: Pick<SumPoint, 'p50Ns' | 'p95Ns' | 'p99Ns'>;
  readonly openExample?: (durationNs: number, within?: { from: number; to: number }) => void;
}

/** Rate, failing share and durations over time, lit over before. */
export function SeriesCharts({ series, litWindow, beforeWindow, whole, openExample }: SeriesChartsProps) {
  const points = {
    lit: throughout(series.lit, litWindow, series.stepMs),
    before: throughout(series.before, beforeWindow, series.stepMs),
  };
  const lines = (name: string, value: (point: SumPoint) => number | null, main = true): PairLine[] =>
    (['before', 'lit'] as const).map((side) => ({
      name,
      side,
      main,
      points: points[side].map((point) => [point.at, value(point)] as const),
    }));
  const { scope } = useScope();
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
      <PairChart title="Requests" lines={lines('', (it) => (it.calls * 1000) / series.stepMs)} format={formatRate} {...windows} />
      <PairChart
        title="Failing"
        lines={lines('', (it) => (it.calls === 0 ? null : it.failures / it.calls))}
        format={formatShare}
        most={0.01}
        {...windows}
      />
      <div>
        <PairChart
          title="p95, with p50 and p99"
          log
          onPlace={
            openExample &&
            ((at) => {
              const p95 = series.lit.find((point) => point.at === at)?.p95Ns;
              if (p95) openExample(p95, { from: at, to: at + series.stepMs });
            })
          }
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
}

/** The points of a window, with one for each stretch in which nothing came: no request is a rate, too. Nothing where there is no point at all. */
function throughout(points: readonly SumPoint[], { from, to }: Stretch, stepMs: number): SumPoint[] {
  if (points.length === 0) return [];
  const known = new Map(points.map((it) => [it.at, it]));
  const whole = [];
  for (let at = Math.floor(Date.parse(from) / stepMs) * stepMs; at < Date.parse(to); at += stepMs)
    whole.push(known.get(at) ?? { at, calls: 0, failures: 0, p50Ns: null, p95Ns: null, p99Ns: null });
  return whole;
}
