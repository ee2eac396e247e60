import { createContext, useCallback, useContext, useEffect, useState } from 'react';
import { type LitWindow, readScope, type Scope, settledScope, writeScope } from '../../core/scope/scope.ts';
import { PAGE_PARAMETERS } from '../pages/registry.ts';

/** The scope of the page and the way to change it. */
export interface ScopeState {
  readonly scope: Scope;
  /** A change is a step of the browser's history, so that Back undoes it. */
  readonly change: (next: Scope) => void;
  /** The address of a page in this scope, or in another. */
  readonly href: (path: string, other?: Scope) => string;
}

/** Parameters that are not the scope's: the order of the list stays from page to page, so that the way back leads to the same list. */
const KEPT = ['sort'];
function address(path: string, scope: Scope, search: string, kept: readonly string[] = KEPT): string {
  const parameters = writeScope(scope);
  const before = new URLSearchParams(search);
  for (const name of kept) {
    const value = before.get(name);
    if (value !== null) parameters.set(name, value);
  }
  // These need no escape in a query, and read better without.
  // A path may have parameters of its own already.
  return `${path}${path.includes('?') ? '&' : '?'}${parameters.toString().replace(/%(2F|3A|3B|2C|7B|7D)/g, (escaped) => decodeURIComponent(escaped))}`;
}

/** The address of the page that is open, in another scope. */
export function addressHere(scope: Scope): string {
  return address(location.pathname, scope, location.search, [...KEPT, ...PAGE_PARAMETERS]);
}

/** Keeps the scope in step with the URL. @param first what the server read from it */
export function useScopeState(first: Scope): ScopeState {
  const [scope, setScope] = useState(first);
  const [usual] = useState<LitWindow>(first.lit);
  useEffect(() => {
    // The window that the server chose becomes part of the address: what is copied from there shows the same.
    history.replaceState(null, '', addressHere(first));
    const follow = () => setScope(readScope(new URLSearchParams(location.search), usual));
    addEventListener('popstate', follow);
    return () => removeEventListener('popstate', follow);
  }, [first, usual]);
  const change = useCallback((next: Scope) => {
    const settled = settledScope(next);
    history.pushState(null, '', addressHere(settled));
    setScope(settled);
  }, []);
  const href = useCallback(
    (path: string, other = scope) => address(path, other, typeof location === 'undefined' ? '' : location.search),
    [scope],
  );
  return { scope, change, href };
}

const ScopeContext = createContext<ScopeState | undefined>(undefined);
export const ScopeProvider = ScopeContext.Provider;

export function useScope(): ScopeState {
  const state = useContext(ScopeContext);
  if (!state) throw new Error('no scope around this');
  return state;
}
