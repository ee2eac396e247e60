import { attributeOf } from '../trace/attributeNames.ts';
import type { Span, SpanEvent } from '../trace/span.ts';
import { textAttribute } from '../trace/span.ts';
import { messageShape } from './messageShape.ts';

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
    type: textAttribute(said, 'exception.type') ?? (code === '' ? 'fails' : `answers ${code}`),
    message: textAttribute(said, 'exception.message') ?? span.statusMessage,
    stack: textAttribute(said, 'exception.stacktrace') ?? '',
    code: String(code),
  };
}

/** By what occurrences are the same: service, type and shape of message. */
export function groupKey({ service, type, message }: Occurrence): string {
  return [service, type, messageShape(message)].join('\0');
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
