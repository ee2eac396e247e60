import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { Segment } from '../src/core/columns/segment.ts';
import { callTree, type PairedStack } from '../src/core/profile/callTree.ts';
import { flameLayout } from '../src/core/profile/flameLayout.ts';
import { functionSums } from '../src/core/profile/functionSums.ts';
import { ProfileSegmentWriter, profileRows } from '../src/core/profile/profileColumns.ts';
import type { Frame, StackSample } from '../src/core/profile/stackSample.ts';
import { StackSums } from '../src/core/profile/stackSums.ts';
import { decodeSegment, encodeSegment } from '../src/formats/columns/segmentBytes.ts';
import { mediansByTurns, report } from './support/measure.ts';

const COMPRESSION = {
  deflate: (bytes: Uint8Array) => deflateRawSync(bytes, { level: 4 }),
  inflate: (bytes: Uint8Array) => inflateRawSync(bytes),
};
const SERVICES = 16;
const SLOTS = 144;
const CPU = { type: 'cpu nanoseconds' };
const TICK = 10_000_000;

/**
 * A day of profiles of 16 services: how long it takes to sum it from deflated columns, and to lay out a profile of a million samples.
 *
 * @param busy samples a second of each service that has them
 */
export async function benchProfiles(busy = 4): Promise<void> {
  const random = generator(11);
  const segments: Uint8Array[] = [];
  let samples = 0;
  for (let service = 0; service < SERVICES; service++) {
    const program = makeProgram(random, 60);
    for (let slot = 0; slot < SLOTS; slot++) {
      const writer = new ProfileSegmentWriter();
      for (let minute = 0; minute < 10; minute++) {
        const taken = Array.from({ length: busy * 60 }, () => program(random));
        samples += taken.length;
        const of = { type: 'cpu', unit: 'nanoseconds', period: TICK, version: '1', instance: `s-${minute % 2}` };
        writer.add({ time: minute * 60_000, ...of }, taken);
      }
      segments.push(encodeSegment(writer.finish(), COMPRESSION));
    }
  }
  const bytes = segments.reduce((sum, { length }) => sum + length, 0);
  process.stdout.write(
    `${samples.toLocaleString('en')} samples of ${SERVICES} services in a day: ${(bytes / 2 ** 20).toFixed(1)} MiB as columns\n`,
  );
  const numbers = new Float64Array(20_000_000);
  const sum = () => {
    let total = 0;
    for (let at = 0; at < numbers.length; at++) total += numbers[at];
    if (total !== 0) throw new Error('numbers are none');
  };
  const [day, reference] = await mediansByTurns(3, [
    () => {
      const sums = new StackSums();
      for (const it of segments) sums.add(profileRows(decodeSegment(it, COMPRESSION) as Segment), 0, 600_000, CPU);
      if (Math.round(sums.count) !== samples) throw new Error('samples were lost');
    },
    sum,
  ]);
  report('a day of 16 services summed from columns', day, 'summing 20 million numbers', reference);
  const wide = wideStacks(random, 100_000);
  const [tree, functions, again] = await mediansByTurns(3, [
    () => {
      const made = callTree(wide, { direction: 'down', by: 'function' }, 0);
      flameLayout(made, 'lit');
      flameLayout(made, 'before');
    },
    () => functionSums(wide),
    sum,
  ]);
  const frames = callTree(wide, { direction: 'down', by: 'function' }, 0).frame.length;
  report(`flame of 1 M samples, ${frames.toLocaleString('en')} boxes laid out`, tree, 'summing 20 million numbers', again);
  report('self and total of its functions', functions, 'summing 20 million numbers', again);
}

/** A program whose samples stand in so many stacks, some much more than others. */
function makeProgram(random: () => number, stacks: number): (draw: () => number) => StackSample {
  const all = Array.from({ length: stacks }, () => stackOf(random, 12 + Math.floor(random() * 20), 400));
  return (draw) => ({ frames: all[Math.floor(draw() ** 2 * stacks)], value: TICK, operation: `GET /${Math.floor(draw() * 5)}` });
}

/** Stacks that are nearly all different, ten samples each. */
function wideStacks(random: () => number, count: number): PairedStack[] {
  const outer = stackOf(random, 10, 50);
  return Array.from({ length: count }, () => ({
    frames: [...stackOf(random, 4, 600), ...outer],
    lit: 10 * TICK,
    before: 9 * TICK,
  }));
}

function stackOf(random: () => number, depth: number, functions: number): Frame[] {
  return Array.from({ length: depth }, () => frameOf(Math.floor(random() * functions), 1 + Math.floor(random() * 3)));
}

const known = new Map<string, Frame>();

function frameOf(at: number, line: number): Frame {
  const key = `${at} ${line}`;
  const frame = known.get(key) ?? { name: `work${at}`, file: `src/part${at % 40}.js`, line };
  known.set(key, frame);
  return frame;
}

function generator(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}
