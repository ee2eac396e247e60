import type { OneCall } from '../core/measures/callSum.ts';
import type { Attributes } from '../core/trace/span.ts';
import type { RecordGroup } from '../formats/otlp/request.ts';
import type { SpanHead } from '../formats/otlp/spanHead.ts';
import type { Arrival } from './packBlocks.ts';

/** A span of a request, judged and found good. */
export interface ReadSpan {
  readonly head: SpanHead;
  readonly service: string;
  /** Of its sender; one object for all spans of a group. */
  readonly resource: Attributes;
  readonly group: RecordGroup;
  readonly record: Uint8Array;
}

/** A span on its way into the store. */
export interface SpanArrival extends ReadSpan, Arrival {
  readonly operationId: number;
  /** Of the dictionary of calls; null when the span turns to nobody. */
  readonly callId: number | null;
  /** Of the dictionary of instances. */
  readonly instanceId: number;
  /** Of the dictionary of facets: those of its own attributes, and those of its resource's, one list for all spans of a resource. */
  readonly facetIds: readonly number[];
  readonly resourceFacetIds: readonly number[];
  /** In which it began, since 1970-01-01 in UTC. */
  readonly minute: number;
  readonly tallied: OneCall;
}
