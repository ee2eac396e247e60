import { useCallback, useEffect, useState } from 'react';
import { type ContrastOptions, PARAMETERS, readOptions, writeOptions } from './options.ts';

/** The options of the page, in step with the address: each change is a step of the browser's history, so that Back undoes it. */
export function useContrastOptions(first: ContrastOptions): [ContrastOptions, (change: Partial<ContrastOptions>) => void] {
  const [options, setOptions] = useState(first);
  useEffect(() => {
    const follow = () => setOptions(readOptions(new URLSearchParams(location.search)));
    addEventListener('popstate', follow);
    return () => removeEventListener('popstate', follow);
  }, []);
  const change = useCallback(
    (part: Partial<ContrastOptions>) => {
      const next = { ...options, ...part };
      const url = new URL(location.href);
      const written = writeOptions(next);
      for (const name of PARAMETERS) {
        const value = written[name];
        if (value === undefined) url.searchParams.delete(name);
        else url.searchParams.set(name, value);
      }
      history.pushState(null, '', url);
      setOptions(next);
    },
    [options],
  );
  return [options, change];
}
