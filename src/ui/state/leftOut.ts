import { useSyncExternalStore } from 'react';

/** Why what a page shows is not of all requests of its scope; see the header of answers. */
export interface LeftOut {
  readonly unread: number;
  readonly building: number;
}

const NOTHING: LeftOut = { unread: 0, building: 0 };
/** The header of answers that says it. */
const HEADER = 'lantern-left-out';

/** What the last answer of each path left out. */
const byPath = new Map<string, LeftOut>();
let most = NOTHING;
const listeners = new Set<() => void>();

/** Takes in what an answer says that it leaves out. */
export function noteAnswer(path: string, answer: Response): void {
  const text = answer.headers.get(HEADER);
  if (text) byPath.set(path, JSON.parse(text) as LeftOut);
  else if (!byPath.delete(path)) return;
  const all = [...byPath.values()];
  most = { unread: Math.max(0, ...all.map((it) => it.unread)), building: Math.max(0, ...all.map((it) => it.building)) };
  for (const listener of listeners) listener();
}

/** What the answers that the page is made of left out, at most. */
export function useLeftOut(): LeftOut {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => most,
    () => NOTHING,
  );
}
