import type { PairedStack } from './callTree.ts';
import type { Sides } from './functionSums.ts';

/** What a line weighs: with what it calls, and by itself. */
export interface LineCost {
  readonly line: number;
  readonly total: Sides;
  readonly self: Sides;
}

/** What each line of a file weighs, in order of the lines. A stack that is on a line more than once counts there once. */
export function lineCosts(stacks: readonly PairedStack[], file: string): LineCost[] {
  const costs = new Map<number, LineCost>();
  for (const { frames, lit, before } of stacks) {
    const seen = new Set<number>();
    for (const [depth, frame] of frames.entries()) {
      if (frame.file !== file) continue;
      let cost = costs.get(frame.line);
      if (!cost) {
        cost = { line: frame.line, total: { lit: 0, before: 0 }, self: { lit: 0, before: 0 } };
        costs.set(frame.line, cost);
      }
      if (depth === 0) {
        cost.self.lit += lit;
        cost.self.before += before;
      }
      if (seen.has(frame.line)) continue;
      seen.add(frame.line);
      cost.total.lit += lit;
      cost.total.before += before;
    }
  }
  return [...costs.values()].sort((a, b) => a.line - b.line);
}
