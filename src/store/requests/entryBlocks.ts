import { innerMap } from '../../core/maps/innerMap.ts';
import { addValue, emptySketch, type Sketch } from '../../core/measures/sketch.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachEntered } from './eachEntered.ts';

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
  await eachEntered(filter, (id, atMs, ns, failed) => {
    if (id === undefined) return;
    const at = Math.floor(atMs / (step * 60_000)) * step;
    const blocks = innerMap(byEntry, id);
    let block = blocks.get(at);
    if (!block) {
      block = { at, calls: 0, failures: 0, sketch: emptySketch() };
      blocks.set(at, block);
    }
    block.calls++;
    if (failed) block.failures++;
    addValue(block.sketch, ns);
  });
  return new Map([...byEntry].map(([id, blocks]) => [id, [...blocks.values()].sort((a, b) => a.at - b.at)]));
}
