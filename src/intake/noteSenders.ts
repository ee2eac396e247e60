import type { Attributes } from '../core/trace/span.ts';
import type { Signal } from '../formats/otlp/messages.ts';
import { noteSender } from './meter.ts';

/** What is noted of a record that was kept. */
export interface Seen {
  readonly resource: Attributes;
  /** When it ended, epoch nanoseconds. */
  readonly end: bigint;
  readonly withTrace: boolean;
}

/** Notes who has sent the records of a request. */
export function noteSenders(signal: Signal, records: readonly Seen[]): void {
  const byResource = new Map<Attributes, { records: number; withTrace: number; last: bigint }>();
  for (const { resource, end, withTrace } of records) {
    const known = byResource.get(resource) ?? { records: 0, withTrace: 0, last: 0n };
    known.records++;
    if (withTrace) known.withTrace++;
    if (end > known.last) known.last = end;
    byResource.set(resource, known);
  }
  for (const [resource, { records: count, withTrace, last }] of byResource) noteSender(signal, resource, count, withTrace, last);
}
