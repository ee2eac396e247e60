import { createContext, useCallback, useContext, useState } from 'react';
import { applyScheme, type Scheme } from './scheme.ts';

export interface SchemeState {
  readonly scheme: Scheme;
  readonly switchScheme: () => void;
}

export function useSchemeState(first: Scheme): SchemeState {
  const [scheme, setScheme] = useState(first);
  const switchScheme = useCallback(() => {
    const next = scheme === 'dusk' ? 'paper' : 'dusk';
    applyScheme(next);
    setScheme(next);
  }, [scheme]);
  return { scheme, switchScheme };
}

const SchemeContext = createContext<SchemeState>({ scheme: 'dusk', switchScheme: () => {} });
export const SchemeProvider = SchemeContext.Provider;

export function useScheme(): SchemeState {
  return useContext(SchemeContext);
}
