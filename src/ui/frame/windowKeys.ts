import { useEffect, useRef } from 'react';
import { BEFORE_CHOICES } from '../../core/scope/before.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { usePageKeys } from '../keys/pageKeys.ts';
import { pageOfKey } from '../pages/registry.ts';
import { useScope } from '../state/scopeState.ts';

const MINUTE = 60_000;
/** After `g` a letter is waited for this long. */
const CHORD_MS = 1200;

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
  // The letter of a chord is no other key's: it is taken before anybody else sees it.
  useEffect(() => {
    const take = (event: KeyboardEvent) => {
      if (Date.now() >= chordUntil.current || event.ctrlKey || event.metaKey || event.altKey) return;
      chordUntil.current = 0;
      event.preventDefault();
      event.stopPropagation();
      const page = pageOfKey(event.key);
      if (page) location.assign(href(page.path));
    };
    addEventListener('keydown', take, { capture: true });
    return () => removeEventListener('keydown', take, { capture: true });
  }, [href]);
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
    [
      'b',
      () => {
        const at = (BEFORE_CHOICES as readonly string[]).indexOf(scope.before.type);
        change({ ...scope, before: { type: BEFORE_CHOICES[(at + 1) % BEFORE_CHOICES.length] } });
      },
    ],
  ]);
}
