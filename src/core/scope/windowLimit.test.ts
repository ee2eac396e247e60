import { expect, it } from 'vitest';
import { windowFault } from './windowLimit.ts';

const DAY = 86_400_000_000_000n;

it.each([
  [0n, 1n, undefined],
  [5n, 5n, 'to: is not after from'],
  [6n, 5n, 'to: is not after from'],
  [0n, 400n * DAY, undefined],
  [0n, 400n * DAY + 1n, 'the window is 400 days long, 400 at most; take a shorter one'],
  [0n, 2n ** 63n - 1n, 'the window is 106751 days long, 400 at most; take a shorter one'],
])('from %d to %d: %s', (from, to, fault) => expect(windowFault(from, to)).toBe(fault));
