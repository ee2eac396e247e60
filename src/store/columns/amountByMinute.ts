import { codesOf, listsOf, numbersOf } from '../../core/columns/segment.ts';
import { attributeColumn, OUTCOME, ROOT_FAILED, START } from '../../core/requests/requestColumns.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

const MINUTE_NS = 60_000_000_000n;

/**
 * An amount that requests carry in an attribute, summed by the minute over those that went well. Of a request with several amounts the
 * first one counts.
 *
 * @returns one sum a minute, from the minute in which `from` lies to the one before `to`
 */
export async function amountByMinute(key: string, filter: TraceFilter & { from: bigint; to: bigint }): Promise<number[]> {
  const first = Number(filter.from / MINUTE_NS);
  const sums = new Array<number>(Math.max(1, Number((filter.to - 1n) / MINUTE_NS) - first + 1)).fill(0);
  await eachRequest(filter, ({ segment, from, rows }) => {
    const base = Number(from / MINUTE_NS) - first;
    const { offsets, items, texts } = listsOf(segment, attributeColumn(key));
    const amounts = texts.map((text) => (text.trim() === '' ? Number.NaN : Number(text)));
    const start = numbersOf(segment, START);
    const outcome = codesOf(segment, OUTCOME).values;
    for (const row of rows) {
      if ((outcome[row] & ROOT_FAILED) !== 0 || offsets[row] === offsets[row + 1]) continue;
      const amount = amounts[items[offsets[row]]];
      if (!Number.isFinite(amount)) continue;
      const minute = base + Math.floor(start[row] / Number(MINUTE_NS));
      sums[Math.min(sums.length - 1, Math.max(0, minute))] += amount;
    }
  });
  return sums;
}
