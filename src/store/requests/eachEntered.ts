import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import {
  DURATION,
  ENTRY,
  OUTCOME,
  ROOT_DELAY,
  ROOT_FAILED,
  ROOT_FOUND,
  readOperation,
  START,
} from '../../core/requests/requestColumns.ts';
import { operationIds } from '../dictionaries/dictionaries.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

/**
 * Goes through the requests that a filter leaves, whose root has come.
 *
 * @param visit called with the entry operation's id (undefined when it has none), when the root began (epoch milliseconds), its duration
 *   (nanoseconds), and whether it failed
 */
export async function eachEntered(
  filter: TraceFilter,
  visit: (entryId: number | undefined, atMs: number, ns: number, failed: boolean) => void,
): Promise<void> {
  const idOf = await operationIds();
  await eachRequest(filter, ({ segment, from, rows }) => {
    const base = Number(from / 1_000_000n);
    const start = numbersOf(segment, START);
    const delay = numbersOf(segment, ROOT_DELAY);
    const ns = numbersOf(segment, DURATION);
    const outcome = codesOf(segment, OUTCOME).values;
    const entry = codesOf(segment, ENTRY);
    const ids = entry.texts.map((text) => idOf(readOperation(text)));
    for (const row of rows) {
      if ((outcome[row] & ROOT_FOUND) === 0) continue;
      const at = base + (start[row] + delay[row]) / 1e6;
      visit(ids[entry.values[row] - 1], at, ns[row], (outcome[row] & ROOT_FAILED) !== 0);
    }
  });
}
