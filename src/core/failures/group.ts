import { attributeOf } from '../trace/attributeNames.ts';
import type { Span, SpanEvent } from '../trace/span.ts';
import { textAttribute } from '../trace/span.ts';
import { messageShape } from './messageShape.ts';

/** Characters of a type and of a code, at most. */
const LONGEST_TYPE = 300;
const LONGEST_CODE = 20;

/** What a failing span says of itself. */
export interface Occurrence {
  readonly service: string;
  readonly operation: string;
  /** Exception type; "answers 503" where there is only a code; "fails" where there is nothing. */
  readonly type: string;
  readonly message: string;
  readonly stack: string;
  readonly code: string;
}

export function occurrenceOf(span: Span): Occurrence {
  const exception: SpanEvent | undefined = span.events.findLast((it) => it.name === 'exception');
  const said = exception?.attributes ?? {};
  const code = attributeOf(span.attributes, 'http.response.status_code') ?? '';
  return {
    service: span.service,
    operation: span.name,
    type: (textAttribute(said, 'exception.type') ?? (code === '' ? 'fails' : `answers ${code}`)).slice(0, LONGEST_TYPE),
    message: textAttribute(said, 'exception.message') ?? span.statusMessage,
    stack: textAttribute(said, 'exception.stacktrace') ?? '',
    code: String(code).slice(0, LONGEST_CODE),
  };
}

/** By what occurrences are the same: service, type and shape of message. */
export function groupKey({ service, type, shape }: { service: string; type: string; shape: string }): string {
  return [service, type, shape].join('\0');
}

/** By what an occurrence is counted. */
export function kindOf({ type, message, code }: Occurrence): FailureKind {
  return { type, shape: messageShape(message), code };
}

/** Type and shape of message of a failing span, and its response code. */
export interface FailureKind {
  readonly type: string;
  readonly shape: string;
  readonly code: string;
}

/** Whether a text stands anywhere in what is known of a failing span: type, message, stack, names, attributes of span and resource. */
export function mentions(span: Span, occurrence: Occurrence, sought: string): boolean {
  const lower = sought.toLowerCase();
  const has = (text: string) => text.toLowerCase().includes(lower);
  if (Object.values(occurrence).some(has)) return true;
  return [span.attributes, span.resource].some((attributes) =>
    Object.entries(attributes).some(
      ([key, value]) => has(key) || has(typeof value === 'object' ? JSON.stringify(value) : String(value)),
    ),
  );
}
