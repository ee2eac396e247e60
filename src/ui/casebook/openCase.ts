import { useSyncExternalStore } from 'react';

/** Which case is open in this browser, and who works in it: kept by the browser, the same in all its tabs. */
const CASE = 'lantern.case';
const NAME = 'lantern.name';

const listeners = new Set<() => void>();

function listen(listener: () => void): () => void {
  listeners.add(listener);
  addEventListener('storage', listener);
  return () => {
    listeners.delete(listener);
    removeEventListener('storage', listener);
  };
}

function read(name: string): string {
  try {
    return localStorage.getItem(name) ?? '';
  } catch {
    // A browser that keeps nothing: no case is open then.
    return '';
  }
}

function write(name: string, value: string): void {
  try {
    if (value === '') localStorage.removeItem(name);
    else localStorage.setItem(name, value);
  } catch {
    // As above.
  }
  for (const listener of listeners) listener();
}

/** The number of the open case; undefined when none is. */
export function useOpenCase(): number | undefined {
  const text = useSyncExternalStore(
    listen,
    () => read(CASE),
    () => '',
  );
  const id = Number(text);
  return Number.isInteger(id) && id > 0 ? id : undefined;
}

/** Opens a case, or none: steps are recorded and pins go to it from then on. */
export function openCase(id: number | undefined): void {
  write(CASE, id === undefined ? '' : String(id));
}

/** Who works here, as they call themselves; empty for nobody who said. */
export function usePersonName(): string {
  return useSyncExternalStore(
    listen,
    () => read(NAME),
    () => '',
  );
}

export function setPersonName(name: string): void {
  write(NAME, name.trim().slice(0, 100));
}
