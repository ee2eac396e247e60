import { type Attributes, textAttribute } from '../core/trace/span.ts';
import type { Signal } from '../formats/otlp/messages.ts';
import type { SenderSight } from '../store/intakeFigures.ts';

/** What is noted of a record that was kept. */
export interface Seen {
  readonly resource: Attributes;
  /** When it ended, epoch nanoseconds. */
  readonly end: bigint;
  readonly withTrace: boolean;
}

/** Who has sent the records of a request, one object for all that came with the same resource. */
export function sendersOf(signal: Signal, records: readonly Seen[]): SenderSight[] {
  const byResource = new Map<Attributes, { records: number; withTrace: number; last: bigint }>();
  for (const { resource, end, withTrace } of records) {
    const known = byResource.get(resource) ?? { records: 0, withTrace: 0, last: 0n };
    known.records++;
    if (withTrace) known.withTrace++;
    if (end > known.last) known.last = end;
    byResource.set(resource, known);
  }
  const lastMs = Date.now();
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
      aheadMs: Number(last / 1_000_000n) - lastMs,
      lastMs,
    };
  });
}
