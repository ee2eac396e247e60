import type { Frame, StackSample } from '../../core/profile/stackSample.ts';
import type { ProfileSource } from './tables.ts';

/** A file that is not of the format it is read as. */
export class UnreadableProfile extends Error {}

/**
 * Folded stacks: a line a stack, its frames from the outermost to the innermost with semicolons between, a space, and how often it was
 * seen. A frame may end in its place, `name (file:line)` or `name file:line`.
 *
 * @throws UnreadableProfile naming the line that is no such stack
 */
export function readFolded(text: string, time: bigint): ProfileSource {
  const samples: StackSample[] = [];
  for (const [at, line] of text.split(/\r?\n/).entries()) {
    if (line.trim() === '' || line.startsWith('#')) continue;
    const match = /^(.*\S)\s+(\d+)$/.exec(line);
    const value = Number(match?.[2]);
    if (!match || !Number.isSafeInteger(value))
      throw new UnreadableProfile(`line ${at + 1} is no folded stack: ${line.slice(0, 80)}`);
    samples.push({ frames: match[1].split(';').map(readFrame).reverse(), value });
  }
  if (samples.length === 0) throw new UnreadableProfile('there is no stack in it');
  return {
    type: 'samples',
    unit: 'count',
    time,
    durationNs: 0n,
    samples,
    original: { format: 'folded', bytes: Buffer.from(text) },
  };
}

function readFrame(text: string): Frame {
  const match = /^(.*\S)\s+\(?([^\s()]+):(\d+)\)?$/.exec(text);
  return match ? { name: match[1], file: match[2], line: Number(match[3]) } : { name: text, file: '', line: 0 };
}
