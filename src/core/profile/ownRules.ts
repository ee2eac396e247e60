import { isOwnFrame } from './ownFrame.ts';
import type { Frame } from './stackSample.ts';

/** Which frames are own code and which are libraries, beyond what is told by itself. `*` stands for anything. */
export interface OwnRules {
  readonly own: readonly string[];
  readonly library: readonly string[];
}

export const NO_RULES: OwnRules = { own: [], library: [] };

/** Tells frames of own code. A rule fits the beginning of a frame's name or of its file; rules for own code go first. */
export function ownFrames({ own, library }: OwnRules): (frame: Frame) => boolean {
  const [isNamedOwn, isNamedLibrary] = [own, library].map((patterns) => patterns.map(beginning));
  return (frame) => {
    const fits = (it: RegExp) => it.test(frame.name) || it.test(frame.file);
    if (isNamedOwn.some(fits)) return true;
    return !isNamedLibrary.some(fits) && isOwnFrame(frame);
  };
}

function beginning(pattern: string): RegExp {
  // Only literal text and `.*`: no rule can take long.
  return new RegExp(
    `^${pattern
      .split('*')
      .map((part) => part.replace(/[.+?^${}()|[\]\\/]/g, '\\$&'))
      .join('.*')}`,
  );
}
