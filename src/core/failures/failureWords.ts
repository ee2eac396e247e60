import { attributeOf } from '../trace/attributeNames.ts';
import type { Span } from '../trace/span.ts';

/** What a failing span says of itself, in few words: the answer's code, the exception's type, or the status message. */
export function failureWords(span: Span): string {
  const code = attributeOf(span.attributes, 'http.response.status_code');
  if (span.kind === 'client' && code !== undefined) return `answers ${code}`;
  const exception = span.events.findLast((it) => it.name === 'exception')?.attributes['exception.type'];
  if (typeof exception === 'string') return exception;
  if (code !== undefined) return `answers ${code}`;
  return span.statusMessage === '' ? 'fails' : span.statusMessage.slice(0, 80);
}
