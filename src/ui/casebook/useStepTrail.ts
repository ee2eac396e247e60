import { useEffect } from 'react';
import { windowAt } from '../../core/scope/scope.ts';
import { noteStep } from '../queries/casebook.ts';
import { addressHere, useScope } from '../state/scopeState.ts';
import { useOpenCase, usePersonName } from './openCase.ts';
import { headlineHere, pageHere } from './usePinning.ts';

/** A page is a step when it was looked at for so long. */
const SETTLED_MS = 1_500;
const LOOK_MS = 500;
const LONGEST_PATH = 7_900;

/** Records the pages that are looked at while a case is open, so that each can be gone back to. The casebook itself is no step. */
export function useStepTrail(): void {
  const id = useOpenCase();
  const by = usePersonName();
  const { scope } = useScope();
  useEffect(() => {
    if (id === undefined) return;
    let seen = '';
    let since = Date.now();
    let noted = '';
    const look = () => {
      const here = location.pathname + location.search;
      if (here !== seen) {
        seen = here;
        since = Date.now();
        return;
      }
      if (here === noted || Date.now() - since < SETTLED_MS || document.hidden) return;
      noted = here;
      if (location.pathname.startsWith('/casebook') || here.length > LONGEST_PATH) return;
      const headline = headlineHere();
      const title = `${pageHere()}${headline === '' ? '' : `: ${headline}`}`.slice(0, 300);
      // A step that could not be noted is none: nobody waits for it.
      // A window that follows the clock is held where it is: the step leads back to what was seen.
      const path =
        scope.lit.type === 'fixed' ? here : addressHere({ ...scope, lit: { type: 'fixed', ...windowAt(scope.lit, Date.now()) } });
      noteStep(id, { by, path, title }).catch(() => {});
    };
    const timer = setInterval(look, LOOK_MS);
    return () => clearInterval(timer);
  }, [id, by, scope]);
}
