import type { RecordGroup } from '../formats/otlp/request.ts';
import type { SpanHead } from '../formats/otlp/spanRecord.ts';
import type { Arrival } from './packBlocks.ts';

/** A span of a request, judged and found good. */
export interface ReadSpan {
  readonly head: SpanHead;
  readonly service: string;
  readonly group: RecordGroup;
  readonly record: Uint8Array;
}

/** A span on its way into the store. */
export interface SpanArrival extends ReadSpan, Arrival {
  readonly operationId: number;
  /** Of the dictionary of calls; null when the span turns to nobody. */
  readonly callId: number | null;
  /** Of the dictionary of facets. */
  readonly facetIds: readonly number[];
}
