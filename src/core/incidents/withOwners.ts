import type { CoOccurrence } from './joinShifts.ts';
import type { SeriesKey } from './watchedSeries.ts';

/**
 * How series that take part in no request go together, beside operations: those of one owner always do.
 *
 * @param ownerOf the owner of a series that takes part in no request; undefined for an operation
 */
export function withOwners(
  ownerOf: (key: SeriesKey) => string | undefined,
  byRequests: (a: SeriesKey, b: SeriesKey) => CoOccurrence,
): (a: SeriesKey, b: SeriesKey) => CoOccurrence {
  return (a, b) => {
    const [one, other] = [ownerOf(a), ownerOf(b)];
    if (one === undefined && other === undefined) return byRequests(a, b);
    const isOneOwner = Number(one === other);
    return { ofRarer: isOneOwner, ofEither: isOneOwner };
  };
}
