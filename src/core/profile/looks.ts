import type { Frame } from './stackSample.ts';

/** What was seen of a running request at one moment. */
export interface Look {
  /** Epoch milliseconds. */
  readonly at: number;
  readonly ageMs: number;
  /** The innermost first. */
  readonly frames: readonly Frame[];
  readonly wait: string;
}

/** How long a request has stood on one line, as far as looks tell. */
export interface Streak {
  /** The first line of own code. */
  readonly frame: Frame;
  /** When it was first seen there without a break, epoch milliseconds. */
  readonly since: number;
  /** Looks in a row that saw it there, and all that there are. */
  readonly looks: number;
  readonly of: number;
}

/** The first frame of own code, from the innermost on. */
export function firstOwn(frames: readonly Frame[], isOwn: (frame: Frame) => boolean): Frame | undefined {
  return frames.find(isOwn);
}

/** The streak that a request is in at its last look. @param looks in order of time */
export function streakOf(looks: readonly Look[], isOwn: (frame: Frame) => boolean): Streak | null {
  const last = looks.at(-1);
  const frame = last && firstOwn(last.frames, isOwn);
  if (!last || !frame) return null;
  let first = looks.length - 1;
  while (first > 0) {
    const former = firstOwn(looks[first - 1].frames, isOwn);
    if (!former || former.name !== frame.name || former.file !== frame.file || former.line !== frame.line) break;
    first--;
  }
  return { frame, since: looks[first].at, looks: looks.length - first, of: looks.length };
}
