import type { CoOccurrence } from './joinShifts.ts';

/**
 * How pages of visitors go together, beside operations: no request has two of them, but those of one app always go together.
 *
 * @param appOf the app that a page is of; undefined for an operation
 */
export function withPages(
  appOf: (id: number) => string | undefined,
  byRequests: (a: number, b: number) => CoOccurrence,
): (a: number, b: number) => CoOccurrence {
  return (a, b) => {
    const [one, other] = [appOf(a), appOf(b)];
    if (one === undefined && other === undefined) return byRequests(a, b);
    const isOneApp = Number(one === other);
    return { ofRarer: isOneApp, ofEither: isOneApp };
  };
}
