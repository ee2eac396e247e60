import type { CallSeries } from '../../core/incidents/callSeries.ts';
import { seriesId, type WatchedKind, type WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { MachineRollup } from '../../store/rollups/watched/machineRollup.ts';
import { MinuteRollup } from '../../store/rollups/watched/minuteRollup.ts';
import { PageRollup } from '../../store/rollups/watched/pageRollup.ts';
import { ShapeRollup } from '../../store/rollups/watched/shapeRollup.ts';

/** Where the series of a kind come from. A kind more is a source more; detection knows none of them. */
export interface WatchSource {
  readonly kind: WatchedKind;
  /** Reads what has come since the last time. @returns how many minutes changed */
  readonly refresh: (fromMinute: number, toMinute: number) => Promise<number>;
  readonly series: (it: WatchedSeries, fromMinute: number, toMinute: number) => CallSeries;
}

/** Sources of the series that there are; they hold what they have read in memory. */
export function watchSources(operations: MinuteRollup = new MinuteRollup()): {
  operations: MinuteRollup;
  sources: WatchSource[];
} {
  const pages = new PageRollup();
  const machines = new MachineRollup();
  const shapes = new ShapeRollup();
  return {
    operations,
    sources: [
      {
        kind: 'operation',
        refresh: (from, to) => operations.refresh(from, to),
        series: ({ key, handles }, from, to) =>
          handles ? operations.series(seriesId(key), from, to) : operations.entrySeries([seriesId(key)], from, to),
      },
      {
        kind: 'page',
        refresh: (from, to) => pages.refresh(from, to),
        series: ({ key }, from, to) => pages.series(seriesId(key), from, to),
      },
      {
        kind: 'struggle',
        // What pages are read from says where visitors struggle, too.
        refresh: async () => 0,
        series: ({ key }, from, to) => pages.series(seriesId(key), from, to),
      },
      {
        kind: 'metric',
        refresh: (from, to) => machines.refresh(from, to),
        series: ({ key }, from, to) => machines.series(seriesId(key), from, to),
      },
      {
        kind: 'shape',
        refresh: (from, to) => shapes.refresh(from, to),
        series: ({ key }, from, to) => shapes.series(seriesId(key), from, to),
      },
    ],
  };
}
