import { useCallback, useEffect, useState } from 'react';

/** How the options of a page stand in its address. */
export interface AddressedOptions<Options> {
  /** The parameters of the address that are the page's. */
  readonly names: readonly string[];
  readonly read: (parameters: URLSearchParams) => Options;
  /** Parameters with their values; what is as usual is left out. */
  readonly write: (options: Options) => Readonly<Record<string, string | undefined>>;
}

/**
 * The options of a page, in step with the address. Each change is a step of the browser's history, so that Back undoes it; or none, for what
 * is typed or only looked at.
 */
export function usePageOptions<Options>(
  first: Options,
  { names, read, write }: AddressedOptions<Options>,
): [Options, (part: Partial<Options>, isStep?: boolean) => void] {
  const [options, setOptions] = useState(first);
  useEffect(() => {
    const follow = () => setOptions(read(new URLSearchParams(location.search)));
    addEventListener('popstate', follow);
    return () => removeEventListener('popstate', follow);
  }, [read]);
  const change = useCallback(
    (part: Partial<Options>, isStep = true) => {
      const next = { ...options, ...part };
      const url = new URL(location.href);
      const written = write(next);
      for (const name of names) {
        const value = written[name];
        if (value === undefined) url.searchParams.delete(name);
        else url.searchParams.set(name, value);
      }
      history[isStep ? 'pushState' : 'replaceState'](null, '', url);
      setOptions(next);
    },
    [options, names, write],
  );
  return [options, change];
}
