import type { CoOccurrence } from './joinShifts.ts';
import type { SeriesKey, WatchedSeries } from './watchedSeries.ts';

/** As if they had half of their requests in common: enough where one begins soon after the other. @see joinShifts */
const SOON = 0.5;

/**
 * How series that take part in no request go together, beside operations: those of one owner always do. A metric of a service goes with that
 * service's operations, too: pods that are killed are why they fail; and so does a message shape that begins with them. With the operations of
 * its callers it goes as that service's operations do, also while no request reaches them since nothing there is ready.
 *
 * @param seriesOf what is known of a series; undefined for one that is gone
 * @param operationsOf the operations of an owner, whether anything moved in them or not
 */
export function withOwners(
  seriesOf: (key: SeriesKey) => Pick<WatchedSeries, 'kind' | 'owner'> | undefined,
  byRequests: (a: SeriesKey, b: SeriesKey) => CoOccurrence,
  operationsOf: (owner: string) => readonly SeriesKey[] = () => [],
): (a: SeriesKey, b: SeriesKey) => CoOccurrence {
  return (a, b) => {
    const [one, other] = [seriesOf(a), seriesOf(b)];
    const ofRequests = [one, other].filter((it) => it === undefined || it.kind === 'operation').length;
    if (ofRequests === 2) return byRequests(a, b);
    const shapes = [one, other].filter((it) => it?.kind === 'shape').length;
    // What a service writes may be of any of its operations: soon after each other, but not whenever both are in trouble.
    if (shapes > 0 && shapes + ofRequests === 2) return { ofRarer: one?.owner === other?.owner ? SOON : 0, ofEither: 0 };
    if (ofRequests === 1 && one && other && one.owner !== other.owner) {
      const [metric, caller] = one.kind === 'metric' ? [one, b] : [other, a];
      if (metric.kind === 'metric') return most(operationsOf(metric.owner).map((own) => byRequests(own, caller)));
    }
    const mayBe = ofRequests === 0 || one?.kind === 'metric' || other?.kind === 'metric';
    const isOneOwner = Number(mayBe && one?.owner === other?.owner);
    return { ofRarer: isOneOwner, ofEither: isOneOwner };
  };
}

function most(related: readonly CoOccurrence[]): CoOccurrence {
  return {
    ofRarer: Math.max(0, ...related.map(({ ofRarer }) => ofRarer)),
    ofEither: Math.max(0, ...related.map(({ ofEither }) => ofEither)),
  };
}
