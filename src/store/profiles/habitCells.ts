import { type Cell, HabitCells } from '../../core/habits/habitCells.ts';
import { HeldMemories, type HeldMemory } from '../../core/habits/heldMemory.ts';
import type { FactsOf } from '../../core/habits/matchStack.ts';
import { runtimeOf } from '../../core/profile/ownFrame.ts';
import { profileRows } from '../../core/profile/profileColumns.ts';
import { type Frame, frameOfKey } from '../../core/profile/stackSample.ts';
import { profileSegments } from '../columns/profileSegments.ts';
import type { SourceFiles } from './sources.ts';

/** What habits take in a stretch of time, by service, version and hour, and each service's runtime. */
export interface CellsOf {
  readonly cells: readonly Cell[];
  readonly runtimes: ReadonlyMap<string, string>;
  /** Memory that grew within the stretch. */
  readonly held: readonly HeldMemory[];
}

/** @param from, to epoch nanoseconds, `to` exclusive */
export async function habitCells(
  from: bigint,
  to: bigint,
  sources: SourceFiles,
  isOwn: (frame: Frame) => boolean,
): Promise<CellsOf> {
  const sums = new HabitCells((service, version) => factsOf(sources, service, version), isOwn);
  const runtimes = new Map<string, string>();
  const held = new HeldMemories();
  for await (const { segment, from: slotNs, label } of profileSegments.read({ from, to })) {
    if (label === '') continue;
    const rows = profileRows(segment);
    if (!runtimes.has(label)) {
      const runtime = rows.frames.map((key) => runtimeOf(frameOfKey(key))).find((it) => it !== undefined);
      if (runtime) runtimes.set(label, runtime);
    }
    const ms = (at: bigint) => Number((at - slotNs) / 1_000_000n);
    const slotMs = Number(slotNs / 1_000_000n);
    sums.add(label, rows, slotMs, ms(from), ms(to));
    held.add(label, rows, slotMs, ms(from), ms(to));
  }
  return { cells: sums.cells, runtimes, held: held.growing((service, version) => factsOf(sources, service, version)) };
}

function factsOf(sources: SourceFiles, service: string, version: string): FactsOf {
  return ({ file, line }) => {
    const read = file === '' ? undefined : sources.factsOf(service, file, version);
    const facts = read?.facts.get(line);
    return read && facts && { facts, by: read.by, file: read.facts };
  };
}
