import { checkFieldCount } from '../formats/otlp/wire/check.ts';
import { REQUESTS, RESOURCE, SCOPE, type Signal } from '../formats/otlp/wire/messages.ts';
import { aroundRecords, type Refusals } from '../formats/otlp/wire/refusal.ts';
import type { TelemetryRequest } from '../formats/otlp/wire/request.ts';

/** A record of fewer bytes cannot have more fields than can be borne. */
const SMALL_BYTES = 64 * 1024;
/** Fields of a record and of all in it. A metric holds the points of many series, a profile those of many stacks. */
const MOST_FIELDS: Readonly<Record<Signal, number>> = { traces: 30_000, logs: 30_000, metrics: 500_000, profiles: 500_000 };
const MOST_FIELDS_AROUND = 30_000;

/**
 * The request without those records that hold too many fields, which would take many times their bytes once they are read; the same
 * request when there are none. @throws MalformedRequest when a resource or scope does
 */
export function withoutCrowded(request: TelemetryRequest, signal: Signal, refusals: Refusals): TelemetryRequest {
  const { record: type } = REQUESTS[signal];
  let isCrowded = false;
  const groups = request.groups.map((group) => {
    for (const [bytes, around] of [[group.resource, RESOURCE] as const, [group.scope, SCOPE] as const])
      if (bytes.length > SMALL_BYTES) aroundRecords(() => checkFieldCount(bytes, around, MOST_FIELDS_AROUND));
    if (group.records.every(({ length }) => length <= SMALL_BYTES)) return group;
    const records = group.records.filter(
      (bytes) =>
        bytes.length <= SMALL_BYTES ||
        refusals.attempt(() => {
          checkFieldCount(bytes, type, MOST_FIELDS[signal]);
          return true;
        }),
    );
    if (records.length === group.records.length) return group;
    isCrowded = true;
    return { ...group, records };
  });
  return isCrowded ? { ...request, groups } : request;
}
