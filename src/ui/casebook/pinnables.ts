import { useEffect, useId, useSyncExternalStore } from 'react';
import type { Evidence } from '../../core/casebook/evidence/evidence.ts';
import type { PinKind } from '../../core/casebook/pin.ts';

/** Something on the page that can be pinned. */
export interface Pinnable {
  readonly kind: PinKind;
  /** What it is, as the menu lists it: "the blocking tree at 10:31:20". */
  readonly what: string;
  /** What of the scope belongs to its question: window, reference and chips; both windows alone; the lit one with chips, or alone; nothing. */
  readonly of: 'narrowed' | 'windows' | 'requests' | 'lit' | 'nothing';
  /** What else the page asked for it: parameters of the endpoint that its kind is made from, path parameters too. */
  readonly query?: Readonly<Record<string, string>>;
  /** Which part of the answer is meant. */
  readonly part?: Readonly<Record<string, string>>;
  /** What the page says of it; the headline by default. */
  readonly said?: string;
  /** A lead that it speaks for: it becomes a hypothesis of the case. */
  readonly hypothesis?: string;
  /** Of a picture or table: what is drawn. */
  readonly given?: readonly Evidence[];
}

/** Things on the page by who offers them. A page is one island, so that one list is enough. */
const offered = new Map<string, readonly Pinnable[]>();
const listeners = new Set<() => void>();
let all: readonly Pinnable[] = [];
const NONE: readonly Pinnable[] = [];

function tell(): void {
  all = [...offered.values()].flat();
  for (const listener of listeners) listener();
}

/** Offers things to be pinned as long as the component is there. What is chosen on the page comes first. */
export function usePinnables(items: readonly (Pinnable | false | undefined)[]): void {
  const id = useId();
  const text = JSON.stringify(items.filter(Boolean));
  useEffect(() => {
    offered.set(id, JSON.parse(text) as Pinnable[]);
    tell();
    return () => {
      offered.delete(id);
      tell();
    };
  }, [id, text]);
}

/** All that can be pinned now. */
export function useOffered(): readonly Pinnable[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => all,
    () => NONE,
  );
}
