import { isOwnFrame } from './ownFrame.ts';
import type { Frame, StackSample } from './stackSample.ts';

/** A line of code that samples were taken in, or below. */
export interface HotLine {
  /** The innermost frame of the program's own code; where there is none, the innermost of all. */
  readonly frame: Frame;
  readonly own: boolean;
  /** Where in libraries most of it was, when it was below them. */
  readonly below: string | null;
  readonly samples: number;
  readonly value: number;
  /** Of the value of all samples. */
  readonly share: number;
}

/**
 * Samples by the line of one's own code that was at work, what libraries did for it included; the heaviest first. The values of all lines
 * sum to those of the samples.
 */
export function hotLines(samples: readonly StackSample[]): HotLine[] {
  const lines = new Map<string, { frame: Frame; own: boolean; samples: number; value: number; below: Map<string, number> }>();
  let total = 0;
  for (const { frames, value } of samples) {
    total += value;
    const at = frames.findIndex(isOwnFrame);
    const frame = frames[Math.max(at, 0)] ?? NO_FRAME;
    const key = `${frame.name}\0${frame.file}\0${frame.line}`;
    let line = lines.get(key);
    if (!line) {
      line = { frame, own: at >= 0, samples: 0, value: 0, below: new Map() };
      lines.set(key, line);
    }
    line.samples++;
    line.value += value;
    if (at > 0) line.below.set(frames[0].name, (line.below.get(frames[0].name) ?? 0) + value);
  }
  return [...lines.values()]
    .map(({ below, ...line }) => ({
      ...line,
      below: [...below].sort(([, a], [, b]) => b - a)[0]?.[0] ?? null,
      share: total === 0 ? 0 : line.value / total,
    }))
    .sort((a, b) => b.value - a.value || (a.frame.name < b.frame.name ? -1 : 1));
}

const NO_FRAME: Frame = { name: 'no stack', file: '', line: 0 };
