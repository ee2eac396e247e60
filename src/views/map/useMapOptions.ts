import { useCallback, useEffect, useState } from 'react';
import { type MapOptions, readMapOptions, USUAL_OPTIONS, writeMapOptions } from './options.ts';

/** The options of the map, in step with the address: a change is a step of the browser's history, but for what is only looked at. */
export function useMapOptions(first: MapOptions): [MapOptions, (change: Partial<MapOptions>) => void] {
  const [options, setOptions] = useState(first);
  useEffect(() => {
    const follow = () => setOptions(readMapOptions(new URLSearchParams(location.search)));
    addEventListener('popstate', follow);
    return () => removeEventListener('popstate', follow);
  }, []);
  const change = useCallback(
    (part: Partial<MapOptions>) => {
      const next = { ...options, ...part };
      const url = new URL(location.href);
      const written = writeMapOptions(next);
      for (const name of Object.keys(USUAL_OPTIONS)) {
        if (written[name] === undefined) url.searchParams.delete(name);
        else url.searchParams.set(name, written[name]);
      }
      const isLook = Object.keys(part).every((name) => name === 'node');
      history[isLook ? 'replaceState' : 'pushState'](null, '', url);
      setOptions(next);
    },
    [options],
  );
  return [options, change];
}
