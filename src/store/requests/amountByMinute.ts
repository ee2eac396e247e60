import { codesOf, listsOf, numbersOf } from '../../core/columns/segment.ts';
import { attributeColumn, ENTRY, OUTCOME, ROOT_FAILED, ROOT_FOUND, START } from '../../core/requests/requestColumns.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

const MINUTE_NS = 60_000_000_000n;

/** An amount that requests carry, over time and by the entries at which they came in. */
export interface Amounts {
  /** Sums of those that went well, from the minute in which the window begins to the one in which it ends. */
  readonly byMinute: number[];
  /** By `service name kind` of the entry. */
  readonly byEntry: Map<string, { attempts: number; sum: number; squares: number }>;
}

/** Sums up an amount that requests carry in an attribute. Of a request with several amounts the first one counts. */
export async function amountByMinute(key: string, filter: TraceFilter & { from: bigint; to: bigint }): Promise<Amounts> {
  const first = Number(filter.from / MINUTE_NS);
  const byMinute = new Array<number>(Math.max(1, Number((filter.to - 1n) / MINUTE_NS) - first + 1)).fill(0);
  const byEntry: Amounts['byEntry'] = new Map();
  await eachRequest(filter, ({ segment, from, rows }) => {
    const base = Number(from / MINUTE_NS) - first;
    const { offsets, items, texts } = listsOf(segment, attributeColumn(key));
    const amounts = texts.map((text) => (text.trim() === '' ? Number.NaN : Number(text)));
    const start = numbersOf(segment, START);
    const outcome = codesOf(segment, OUTCOME).values;
    const entry = codesOf(segment, ENTRY);
    const ofEntry = entry.texts.map((text) => {
      const known = byEntry.get(text) ?? { attempts: 0, sum: 0, squares: 0 };
      byEntry.set(text, known);
      return known;
    });
    for (const row of rows) {
      if ((outcome[row] & ROOT_FOUND) === 0) continue;
      const sums = ofEntry[entry.values[row] - 1];
      sums.attempts++;
      if ((outcome[row] & ROOT_FAILED) !== 0 || offsets[row] === offsets[row + 1]) continue;
      const amount = amounts[items[offsets[row]]];
      if (!Number.isFinite(amount)) continue;
      sums.sum += amount;
      sums.squares += amount ** 2;
      const minute = base + Math.floor(start[row] / Number(MINUTE_NS));
      byMinute[Math.min(byMinute.length - 1, Math.max(0, minute))] += amount;
    }
  });
  return { byMinute, byEntry };
}
