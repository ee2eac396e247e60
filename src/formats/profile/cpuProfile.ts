import { z } from 'zod';
import type { Frame, StackSample } from '../../core/profile/stackSample.ts';
import { UnreadableProfile } from './folded.ts';
import type { ProfileSource } from './tables.ts';

const file = z.object({
  nodes: z
    .array(
      z.object({
        id: z.int(),
        callFrame: z.object({ functionName: z.string(), url: z.string(), lineNumber: z.int() }),
        children: z.array(z.int()).optional(),
      }),
    )
    .min(1),
  startTime: z.number(),
  endTime: z.number(),
  samples: z.array(z.int()),
  timeDeltas: z.array(z.number()),
});

/**
 * A `.cpuprofile` as V8 writes it: a tree of frames, and which of them was innermost at each sample. Its clock is not that of the day, so the
 * end is when the file was written.
 *
 * @param end epoch nanoseconds
 * @throws UnreadableProfile when it is none
 */
export function readCpuProfile(text: string, end: bigint): ProfileSource {
  const { nodes, startTime, endTime, samples, timeDeltas } = parse(text);
  const nodeOf = new Map(nodes.map((node) => [node.id, node]));
  const parentOf = new Map(nodes.flatMap(({ id, children = [] }) => children.map((child) => [child, id] as const)));
  const micros = new Map<number, number>();
  for (const [at, id] of samples.entries()) {
    if (!nodeOf.has(id)) throw new UnreadableProfile(`a sample names node ${id}, which is not in it`);
    // The time up to the next sample was spent where this one stood.
    micros.set(id, (micros.get(id) ?? 0) + Math.max(0, timeDeltas[at + 1] ?? 0));
  }
  const stacks: StackSample[] = [...micros]
    .filter(([, value]) => value > 0)
    .map(([id, value]) => ({ frames: framesOf(id, nodeOf, parentOf), value: Math.round(value * 1000) }));
  const durationNs = BigInt(Math.max(0, Math.round((endTime - startTime) * 1000)));
  const original = { format: 'v8.cpuprofile', bytes: Buffer.from(text) };
  return { type: 'cpu', unit: 'nanoseconds', time: end - durationNs, durationNs, samples: stacks, original };
}

function parse(text: string): z.output<typeof file> {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    throw new UnreadableProfile(`it is not JSON: ${(error as Error).message}`);
  }
  const parsed = file.safeParse(json);
  if (parsed.success) return parsed.data;
  const [issue] = parsed.error.issues;
  throw new UnreadableProfile(`it is no .cpuprofile: ${issue.path.join('.')}: ${issue.message}`);
}

type Node = z.output<typeof file>['nodes'][number];

function framesOf(id: number, nodeOf: ReadonlyMap<number, Node>, parentOf: ReadonlyMap<number, number>): Frame[] {
  const frames: Frame[] = [];
  const seen = new Set<number>();
  for (let at: number | undefined = id; at !== undefined && !seen.has(at); at = parentOf.get(at)) {
    seen.add(at);
    const { functionName, url, lineNumber } = nodeOf.get(at)!.callFrame;
    // The root of the tree is no frame; functions without a name are named by their place.
    if (functionName === '(root)') continue;
    frames.push({ name: functionName || '(anonymous)', file: url, line: lineNumber + 1 });
  }
  return frames;
}
