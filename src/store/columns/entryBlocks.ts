import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import { addValue, emptySketch, type Sketch } from '../../core/measures/sketch.ts';
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

/** Requests of some minutes; `at` is minutes since 1970-01-01. */
export interface EntryBlock {
  readonly at: number;
  calls: number;
  failures: number;
  readonly sketch: Sketch;
}

/** The requests that a filter leaves by their entry operation's id, in blocks of `step` minutes in which there is one, in order. */
export async function entryBlocks(filter: TraceFilter, step: number): Promise<Map<number, EntryBlock[]>> {
  const byEntry = new Map<number, Map<number, EntryBlock>>();
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
      const id = ids[entry.values[row] - 1];
      if ((outcome[row] & ROOT_FOUND) === 0 || id === undefined) continue;
      const at = Math.floor((base + (start[row] + delay[row]) / 1e6) / (step * 60_000)) * step;
      let blocks = byEntry.get(id);
      if (!blocks) {
        blocks = new Map();
        byEntry.set(id, blocks);
      }
      let block = blocks.get(at);
      if (!block) {
        block = { at, calls: 0, failures: 0, sketch: emptySketch() };
        blocks.set(at, block);
      }
      block.calls++;
      if ((outcome[row] & ROOT_FAILED) !== 0) block.failures++;
      addValue(block.sketch, ns[row]);
    }
  });
  return new Map([...byEntry].map(([id, blocks]) => [id, [...blocks.values()].sort((a, b) => a.at - b.at)]));
}
