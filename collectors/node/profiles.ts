import type { HeapProfiler, Profiler } from 'node:inspector';
import type { StackSample } from '../../src/core/profile/stackSample.ts';
import type { Places } from './places.ts';
import { MOST_TURNS, type TurnMemory, WRITTEN } from './turns.ts';

/** What labels a sample: the request that the program worked on. */
export type KnownRequests = ReadonlyMap<
  number,
  { readonly traceId: string; readonly spanId: string; readonly operation: string }
>;

/** When the program turned to which request, in order of time. */
export interface Turns {
  readonly times: Float64Array;
  readonly ids: Float64Array;
}

/** The turns that were written, the oldest first. */
export function turnsOf({ times, ids, state }: TurnMemory): Turns {
  const written = state[WRITTEN];
  const count = Math.min(written, MOST_TURNS);
  const order = Array.from({ length: count }, (_, at) => (written - count + at) % MOST_TURNS);
  return { times: Float64Array.from(order, (at) => times[at]), ids: Float64Array.from(order, (at) => ids[at]) };
}

/** The request that was worked on at a moment, 0 for none. */
function requestAt({ times, ids }: Turns, ms: number): number {
  let [low, high] = [0, times.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle] <= ms) low = middle + 1;
    else high = middle;
  }
  return low === 0 ? 0 : ids[low - 1];
}

/** Names of V8's own for what is no code of the program. Idle time is no work. */
const IDLE = '(idle)';
const RUNTIME = new Set(['(program)', '(garbage collector)']);

/**
 * Samples of the CPU as V8's profiler took them, each as long as the time to the next one, with the request that it was taken in. The
 * innermost frame has the line; of the others V8 tells only where the function begins.
 */
export function cpuSamples(profile: Profiler.Profile, turns: Turns, known: KnownRequests, places: Places): StackSample[] {
  const nodeOf = new Map(profile.nodes.map((node) => [node.id, node]));
  const parentOf = new Map(profile.nodes.flatMap(({ id, children = [] }) => children.map((child) => [child, id] as const)));
  const { samples = [], timeDeltas = [] } = profile;
  /** Of each node: the lines on which its samples are still to be laid, by how many ticks each has. */
  const lines = new Map(profile.nodes.map((node) => [node.id, linesOf(node)]));
  const outer = new Map<number, StackSample['frames']>();
  const framesAbove = (id: number): StackSample['frames'] => {
    const knownFrames = outer.get(id);
    if (knownFrames) return knownFrames;
    const parent = parentOf.get(id);
    const { callFrame } = nodeOf.get(id)!;
    const frames =
      callFrame.functionName === '(root)'
        ? []
        : [
            places.frame(callFrame.functionName, callFrame.url, callFrame.lineNumber + 1, callFrame.columnNumber),
            ...(parent === undefined ? [] : framesAbove(parent)),
          ];
    outer.set(id, frames);
    return frames;
  };
  const sums = new Map<string, { frames: StackSample['frames']; value: number; request: number }>();
  let micros = profile.startTime;
  for (const [at, id] of samples.entries()) {
    micros += timeDeltas[at] ?? 0;
    const node = nodeOf.get(id);
    if (!node || node.callFrame.functionName === IDLE || node.callFrame.functionName === '(root)') continue;
    // The time up to the next sample was spent where this one stood.
    const value = Math.max(0, timeDeltas[at + 1] ?? timeDeltas[at] ?? 0) * 1_000;
    const line = nextLine(lines.get(id)!);
    const request = requestAt(turns, micros / 1_000);
    const key = `${id} ${line} ${request}`;
    const sum = sums.get(key);
    if (sum) {
      sum.value += value;
      continue;
    }
    const { callFrame } = node;
    const parent = parentOf.get(id);
    const above = parent === undefined ? [] : framesAbove(parent);
    const own = RUNTIME.has(callFrame.functionName)
      ? { name: callFrame.functionName, file: '', line: 0 }
      : line > 0 && callFrame.url !== ''
        ? { ...places.frame(callFrame.functionName, callFrame.url, line), name: callFrame.functionName || '(anonymous)' }
        : places.frame(callFrame.functionName, callFrame.url, callFrame.lineNumber + 1, callFrame.columnNumber);
    sums.set(key, { frames: [own, ...above], value, request });
  }
  return [...sums.values()].map(({ frames, value, request }) => labelled({ frames, value: Math.round(value) }, request, known));
}

function labelled(sample: StackSample, request: number, known: KnownRequests): StackSample {
  const of = known.get(request);
  if (!of) return sample;
  return { ...sample, span: { traceId: of.traceId, spanId: of.spanId }, operation: of.operation };
}

/** Lines of a node by how many of its ticks are on each. */
function linesOf({ positionTicks = [] }: Profiler.ProfileNode): { line: number; ticks: number; used: number }[] {
  return positionTicks.map(({ line, ticks }) => ({ line, ticks, used: 0 }));
}

/** The line whose share of what was given out is furthest behind its share of the ticks. */
function nextLine(lines: { line: number; ticks: number; used: number }[]): number {
  let best: (typeof lines)[number] | undefined;
  for (const it of lines) if (!best || (it.used + 1) / it.ticks < (best.used + 1) / best.ticks) best = it;
  if (!best) return 0;
  best.used++;
  return best.line;
}

/** What is held on the heap, by where it was allocated. */
export function heapSamples(profile: HeapProfiler.SamplingHeapProfile, places: Places): StackSample[] {
  const found: StackSample[] = [];
  const open: { node: HeapProfiler.SamplingHeapProfileNode; above: StackSample['frames'] }[] = [
    { node: profile.head, above: [] },
  ];
  for (let it = open.pop(); it; it = open.pop()) {
    const { callFrame, selfSize, children } = it.node;
    const isRoot = callFrame.functionName === '(root)';
    const frames = isRoot
      ? it.above
      : [places.frame(callFrame.functionName, callFrame.url, callFrame.lineNumber + 1, callFrame.columnNumber), ...it.above];
    if (selfSize > 0 && frames.length > 0) found.push({ frames, value: Math.round(selfSize) });
    for (const child of children) open.push({ node: child, above: frames });
  }
  return found;
}
