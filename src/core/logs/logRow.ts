import { attributeText } from '../trace/attributeText.ts';
import type { Attributes, AttributeValue } from '../trace/span.ts';

/** Characters of an attribute's value in a column, at most; longer ones are read from the record. */
const LONGEST_VALUE = 300;
/** Characters of a line's text that are held as columns; the record has all of it. */
export const LONGEST_TEXT = 16_384;

/** A log line as columns hold it. */
export interface LogRow {
  /** Nanoseconds since the slot began. */
  readonly time: number;
  /** OpenTelemetry's number; 0 when not set. */
  readonly severity: number;
  readonly service: string;
  readonly instance: string;
  /** 48 bits of the trace id, by `traceNumber`; NaN without one. */
  readonly trace: number;
  readonly text: string;
  /** The block that the record lies in, and its place among the block's lines. */
  readonly block: number;
  readonly index: number;
  readonly attributes: ReadonlyMap<string, string>;
}

/** The first 48 bits of a trace id, as a whole number: enough to tell the traces of a window apart. */
export function traceNumber(traceId: string): number {
  return Number.parseInt(traceId.slice(0, 12), 16);
}

/** What a record says as one text: a body that is a structure as JSON, the event's name where there is no body. */
export function lineText(body: AttributeValue, eventName: string): string {
  return (attributeText(body) ?? eventName).slice(0, LONGEST_TEXT);
}

/** The attributes of a record and of its resource, as texts; what the record says goes before. */
export function lineAttributes(own: Attributes, resource: Attributes): Map<string, string> {
  const attributes = new Map<string, string>();
  for (const of of [own, resource])
    for (const key in of) {
      if (attributes.has(key) || NOT_COLUMNS.has(key)) continue;
      const text = attributeText(of[key]);
      if (text !== undefined && text.length <= LONGEST_VALUE) attributes.set(key, text);
    }
  return attributes;
}

/** Attributes that have a column of their own, or say nothing about the line. */
const NOT_COLUMNS = new Set([
  'service.name',
  'service.instance.id',
  'telemetry.sdk.name',
  'telemetry.sdk.language',
  'telemetry.sdk.version',
]);
