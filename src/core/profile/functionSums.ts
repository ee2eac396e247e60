import type { PairedStack } from './callTree.ts';
import { type Frame, functionKey } from './stackSample.ts';

/** What a function weighs, lit and before. */
export interface FunctionSum {
  readonly name: string;
  readonly file: string;
  /** The line at which most of it is. */
  readonly line: number;
  /** Samples in which it was innermost. */
  readonly self: Sides;
  /** Samples in which it stood anywhere in the stack; however often, each counts once. */
  readonly total: Sides;
}

export interface Sides {
  lit: number;
  before: number;
}

/** What each function weighs by itself and with all that it calls, the heaviest first. Cost O(frames of all stacks). */
export function functionSums(stacks: readonly PairedStack[]): FunctionSum[] {
  interface Draft {
    readonly frame: Frame;
    readonly self: Sides;
    readonly total: Sides;
    readonly lines: Map<number, number>;
    seen: number;
  }
  const drafts = new Map<string, Draft>();
  const known = new Map<Frame, Draft>();
  const draftOf = (frame: Frame): Draft => {
    const seen = known.get(frame);
    if (seen) return seen;
    const key = functionKey(frame);
    let draft = drafts.get(key);
    if (!draft) {
      draft = { frame, self: { lit: 0, before: 0 }, total: { lit: 0, before: 0 }, lines: new Map(), seen: -1 };
      drafts.set(key, draft);
    }
    known.set(frame, draft);
    return draft;
  };
  for (const [at, { frames, lit, before }] of stacks.entries())
    for (const [depth, frame] of frames.entries()) {
      const draft = draftOf(frame);
      draft.lines.set(frame.line, (draft.lines.get(frame.line) ?? 0) + lit + before);
      if (depth === 0) {
        draft.self.lit += lit;
        draft.self.before += before;
      }
      // A function that calls itself counts once a stack.
      if (draft.seen === at) continue;
      draft.seen = at;
      draft.total.lit += lit;
      draft.total.before += before;
    }
  return [...drafts.values()]
    .map(({ frame, self, total, lines }) => ({
      name: frame.name,
      file: frame.file,
      line: [...lines].sort(([, a], [, b]) => b - a)[0]?.[0] ?? 0,
      self,
      total,
    }))
    .sort((a, b) => b.self.lit - a.self.lit || b.total.lit - a.total.lit || (a.name < b.name ? -1 : 1));
}
