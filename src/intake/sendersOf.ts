import { type Attributes, textAttribute } from '../core/trace/span.ts';
import type { Signal } from '../formats/otlp/wire/messages.ts';
import type { SenderSight } from '../store/ingest/intakeFigures.ts';

/** What is noted of records that were kept and have a resource in common. */
export interface Seen {
  readonly resource: Attributes;
  readonly records: number;
  /** Of them, those that name a trace. */
  readonly withTrace: number;
  /** When the last of them ended, epoch milliseconds. */
  readonly lastMs: number;
}

/** The same of one record. @param end epoch nanoseconds */
export function seenOne(resource: Attributes, end: bigint, withTrace: boolean): Seen {
  return { resource, records: 1, withTrace: Number(withTrace), lastMs: Number(end / 1_000_000n) };
}

/** Who has sent the records of a request, one object for all that came with the same resource. */
export function sendersOf(signal: Signal, seen: readonly Seen[]): SenderSight[] {
  const byResource = new Map<Attributes, { records: number; withTrace: number; last: number }>();
  for (const { resource, records: count, withTrace, lastMs } of seen) {
    const known = byResource.get(resource) ?? { records: 0, withTrace: 0, last: 0 };
    known.records += count;
    known.withTrace += withTrace;
    known.last = Math.max(known.last, lastMs);
    byResource.set(resource, known);
  }
  const nowMs = Date.now();
  return [...byResource].map(([resource, { records: count, withTrace, last }]) => {
    const text = (key: string) => textAttribute(resource, key)?.slice(0, 200) ?? '';
    const sdk = ['language', 'name', 'version'].map((part) => text(`telemetry.sdk.${part}`)).filter(Boolean);
    return {
      signal,
      service: text('service.name') || 'unknown_service',
      version: text('service.version'),
      sdk: sdk.join(' '),
      instance: text('service.instance.id') || text('host.name'),
      records: count,
      withTrace,
      aheadMs: last - nowMs,
      lastMs: nowMs,
    };
  });
}
