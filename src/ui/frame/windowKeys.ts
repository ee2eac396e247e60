import { useRef } from 'react';
import { BEFORE_CHOICES } from '../../core/scope/before.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { usePageKeys } from '../keys/pageKeys.ts';
import { useScope } from '../state/scopeState.ts';

const MINUTE = 60_000;
/** After `g` a letter is waited for this long. */
const CHORD_MS = 1200;
/** Where `g` and a letter go. */
const PLACES = { n: '/now', m: '/map', t: '/traces', f: '/now/failures', i: '/intake' } as const;

/** The keys that move and resize the lit window, and those that go to another page. */
export function useWindowKeys(): void {
  const { scope, change, href } = useScope();
  const chordUntil = useRef(0);
  const resize = (move: number, grow: number) => {
    const { from, to } = windowAt(scope.lit, Date.now());
    const length = Math.max(MINUTE, (to - from) * grow);
    const middle = (from + to) / 2 + move * (to - from);
    change({ ...scope, lit: { type: 'fixed', from: Math.round(middle - length / 2), to: Math.round(middle + length / 2) } });
  };
  usePageKeys([
    ['[', () => resize(-0.5, 1)],
    [']', () => resize(0.5, 1)],
    ['-', () => resize(0, 2)],
    ['=', () => resize(0, 0.5)],
    [
      'g',
      () => {
        chordUntil.current = Date.now() + CHORD_MS;
      },
    ],
    ...Object.entries(PLACES).map(([key, path]): [string, () => void] => [
      key,
      () => {
        if (Date.now() < chordUntil.current) location.href = href(path);
      },
    ]),
    [
      'b',
      () => {
        const at = (BEFORE_CHOICES as readonly string[]).indexOf(scope.before.type);
        change({ ...scope, before: { type: BEFORE_CHOICES[(at + 1) % BEFORE_CHOICES.length] } });
      },
    ],
  ]);
}
