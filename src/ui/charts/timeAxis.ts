import { clockTime } from '../../core/time/clock.ts';

/** The properties of a chart's time axis: rows have their time, epoch milliseconds, as `at`. */
export function timeAxis(from: number, to: number, zone: string, ticks: number) {
  return {
    dataKey: 'at',
    type: 'number' as const,
    domain: [from, to],
    tickFormatter: (ms: number) => clockTime(ms, zone),
    tick: { fontSize: 10, fill: 'var(--text-3)' },
    axisLine: false,
    tickLine: false,
    height: 16,
    tickCount: ticks,
  };
}
