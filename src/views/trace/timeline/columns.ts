import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import type { TraceColumn } from '../../../api/traces/within.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { ownOnPath } from '../story.ts';
import type { Column, Usual } from './rowView.ts';

/** Columns that are worked out, beside those of attributes. Their keys are no keys of attributes. */
export const OWN_COLUMNS = [
  { key: 'own time', title: 'own time' },
  { key: 'on path', title: 'own on the critical path' },
  { key: 'among its like', title: 'slower than, of its like' },
] as const;

/** What the chosen columns show. @param values of the attributes among them, by key */
export function columnsOf(
  keys: readonly string[],
  trace: TraceTimeline,
  usualOf: (span: number) => Usual | undefined,
  values: ReadonlyMap<string, TraceColumn['values']>,
): Column[] {
  const { spans } = trace;
  return keys.map((key): Column => {
    switch (key) {
      case 'own time':
        return { key, title: 'own time', textOf: (span) => formatDuration(spans.selfNs[span]) };
      case 'on path': {
        const own = ownOnPath(trace);
        return { key, title: 'on path', textOf: (span) => (own[span] > 0 ? formatDuration(own[span]) : '') };
      }
      case 'among its like':
        return { key, title: 'slower than', textOf: (span) => amongLike(usualOf(span), spans.durationNs[span]) };
      default: {
        const texts = new Map(values.get(key)?.map(({ spanId, text }) => [spanId, text]));
        return { key, title: key, textOf: (span) => texts.get(spans.id[span]) ?? '' };
      }
    }
  });
}

function amongLike(usual: Usual | undefined, ns: number): string {
  return usual && usual.calls > 1 ? percentOf(usual.shareBelow(ns)) : '';
}

/** A share as it is said of what is slower than others: "99.1 %"; never 100 % for less than all. */
export function percentOf(share: number): string {
  const percent = share * 100;
  if (percent > 99 && percent < 100) return `${Math.min(99.9, percent).toFixed(1)} %`;
  return `${percent.toFixed(0)} %`;
}
