import { listsOf } from '../../core/columns/segment.ts';
import { attributeColumn, attributeKeys } from '../../core/requests/requestColumns.ts';
import { isEventField } from '../../core/trace/eventFields.ts';
import { isFacetKey } from '../../formats/otlp/attributes/facets.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

/** A field by which requests can be narrowed, with its values among some requests, the most frequent first. */
export interface FieldValues {
  readonly field: string;
  readonly values: readonly { readonly value: string; readonly count: number }[];
  /** How many different values there are among them; a lower bound when `many`. */
  readonly distinct: number;
  /** Whether there are too many values to count them all. */
  readonly many: boolean;
}

const VALUES_SHOWN = 6;
/** Values of one key that are counted: a key with more tells single requests apart rather than kinds of them. */
const MOST_VALUES = 1_000;

/** The attributes of the requests that a filter leaves, all of them. @returns `traces`: how many requests there are */
export async function requestFields(filter: TraceFilter): Promise<{ traces: number; fields: FieldValues[] }> {
  const byKey = new Map<string, { readonly counts: Map<string, number>; many: boolean }>();
  let traces = 0;
  await eachRequest(filter, ({ segment, rows }) => {
    traces += rows.length;
    for (const key of attributeKeys(segment)) {
      if (!isFacetKey(key) && !isEventField(key)) continue;
      const { offsets, items, texts } = listsOf(segment, attributeColumn(key));
      const counts = new Uint32Array(texts.length);
      for (const row of rows) for (let at = offsets[row]; at < offsets[row + 1]; at++) counts[items[at]]++;
      let known = byKey.get(key);
      if (!known) {
        known = { counts: new Map(), many: false };
        byKey.set(key, known);
      }
      for (const [index, count] of counts.entries()) {
        if (count === 0) continue;
        const before = known.counts.get(texts[index]);
        if (before === undefined && known.counts.size >= MOST_VALUES) known.many = true;
        else known.counts.set(texts[index], (before ?? 0) + count);
      }
    }
  });
  return {
    traces,
    fields: [...byKey]
      .filter(([, { counts }]) => counts.size > 0)
      .map(([field, { counts, many }]) => ({
        field,
        values: [...counts]
          .map(([value, count]) => ({ value, count }))
          .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
          .slice(0, VALUES_SHOWN),
        distinct: counts.size,
        many,
      }))
      .sort((a, b) => (a.field < b.field ? -1 : 1))
      // What tells requests apart in few words first; what all have alike last.
      .sort((a, b) => rank(a) - rank(b)),
  };
}

function rank({ distinct, many }: FieldValues): number {
  return many ? 2 : distinct === 1 ? 3 : distinct <= 20 ? 0 : 1;
}
