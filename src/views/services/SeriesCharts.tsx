import type { SumPoint } from '../../api/services/figures.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatRate } from '../../core/measures/rate.ts';
import { briefDuration } from '../../core/time/duration.ts';
import { PairChart, type PairLine } from '../../ui/charts/PairChart.tsx';
import styles from './Service.module.css';

type Series = ServiceOverview['series'];

interface SeriesChartsProps {
  readonly series: Series;
  readonly litFrom: number;
  readonly beforeFrom: number;
}

/** Rate, failing share and durations over time, lit over before. */
export function SeriesCharts({ series, litFrom, beforeFrom }: SeriesChartsProps) {
  const lines = (name: string, value: (point: SumPoint) => number | null, main = true): PairLine[] =>
    (['before', 'lit'] as const).map((side) => ({
      name,
      side,
      main,
      points: series[side].map((point) => [point.at, value(point)] as const),
    }));
  const windows = { litFrom, beforeFrom };
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
      <PairChart
        title="p95, with p50 and p99"
        log
        lines={[
          ...lines('p95', (it) => it.p95Ns),
          ...lines('p50', (it) => it.p50Ns, false),
          ...lines('p99', (it) => it.p99Ns, false),
        ]}
        format={briefDuration}
        {...windows}
      />
    </div>
  );
}
