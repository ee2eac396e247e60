import { max } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import type { MouseEvent } from 'react';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { condition } from '../../../core/scope/condition.ts';
import { withChip } from '../../../core/scope/scope.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { useNearest } from '../../../ui/queries/nearest.ts';
import { useLikeTraces } from '../../../ui/queries/traces.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import styles from './AmongLike.module.css';

const WIDTH = 220;
const HEIGHT = 34;
const stepOf = (ns: number) => 4 * Math.log2(Math.max(ns, 1));

/** Whether this trace's duration is usual: its place among those of the same entry in the lit window. */
export function AmongLike({ trace }: { trace: TraceTimeline }) {
  const { scope } = useScope();
  const { openNearest, refused } = useNearest();
  const { data } = useLikeTraces(trace.traceId, scope);
  if (!data) return <div className={styles.picture} />;
  if (data.count === 0) return <p className={styles.picture}>no other like it in the lit window</p>;
  // Joined traces take longer than the request, which alone has its like.
  const own = stepOf(trace.spans.durationNs[trace.spans.parent.indexOf(-1)]);
  const first = Math.min(own, data.durations[0].step) - 1;
  const last = Math.max(own, data.durations[data.durations.length - 1].step) + 2;
  const x = scaleLinear([first, last], [0, WIDTH]);
  const most = max(data.durations, (it) => it.count) ?? 1;
  const share = (100 * data.faster) / data.count;
  const entry = trace.operations[trace.spans.operation[trace.spans.parent.indexOf(-1)]];
  const open = (event: MouseEvent<SVGSVGElement>) => {
    const step = x.invert(event.clientX - event.currentTarget.getBoundingClientRect().left);
    openNearest(withChip({ ...scope, chips: [] }, condition('entry', 'is', entry)), 2 ** (step / 4));
  };
  return (
    <div className={styles.picture}>
      <svg width={WIDTH} height={HEIGHT} aria-hidden="true" className={styles.opens} onClick={open}>
        <title>A click opens one that took so long</title>
        {data.durations.map(({ step, count }) => {
          const high = Math.sqrt(count / most) * (HEIGHT - 4);
          return <rect key={step} x={x(step)} y={HEIGHT - high} width={Math.max(1, x(step + 1) - x(step) - 1)} height={high} />;
        })}
        <line x1={x(own)} x2={x(own)} y1={0} y2={HEIGHT} />
      </svg>
      <p>
        slower than {share === 100 ? 'all' : `${share.toFixed(share > 99 ? 1 : 0)} %`} of {formatCount(data.count)} like it; half
        take {formatDuration(data.p50Ns ?? 0)}
      </p>
      {refused && <p role="status">None could be opened: {refused.message}</p>}
    </div>
  );
}
