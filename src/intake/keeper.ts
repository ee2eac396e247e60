import type { RecordMasking } from '../formats/otlp/masking/maskRequest.ts';
import type { Refusals } from '../formats/otlp/wire/refusal.ts';
import type { TelemetryRequest } from '../formats/otlp/wire/request.ts';
import type { Body, Committed } from '../store/ingest/commitBatch.ts';
import type { SenderSight } from '../store/ingest/intakeFigures.ts';

/** What became of the records of a request, and who sent them. */
export type CommittedFrom = Committed & { readonly senders: readonly SenderSight[] };

/**
 * Keeps the records of one request of a signal; undefined when none of them can be kept.
 *
 * @param body what is to be noted of the request, given how many of its records are kept
 * @param masking for the records, where the keeper masks them itself: see `MASKED_WHEN_READ`
 */
export type Keeper = (
  request: TelemetryRequest,
  refusals: Refusals,
  body: (accepted: number) => Body,
  masking: RecordMasking,
) => Promise<CommittedFrom | undefined>;
