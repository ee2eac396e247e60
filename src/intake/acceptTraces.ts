import { createHash } from 'node:crypto';
import type { OtlpEncoding } from '../formats/otlp/answers.ts';
import { decodeTracesJson } from '../formats/otlp/decodeJson.ts';
import { decodeTracesProtobuf } from '../formats/otlp/decodeProtobuf.ts';
import { type DecodedSpans, MalformedRequest } from '../formats/otlp/rawSpan.ts';
import { type Kept, writeSpans } from '../store/writeSpans.ts';

/**
 * Keeps the spans of one trace export request. When this returns, what it says is kept has been committed.
 *
 * @throws MalformedRequest when the body cannot be read; any error of the store
 */
export async function acceptTraces(body: Buffer, encoding: OtlpEncoding): Promise<Kept> {
  const decoded = encoding === 'application/json' ? decodeTracesJson(textOf(body)) : decodeTracesProtobuf(body);
  const refused = [...decoded.refused];
  const rejected = refused.reduce((sum, [, count]) => sum + count, 0);
  if (decoded.spans.length === 0) return { accepted: 0, rejected, message: reasons(decoded) };
  const bodyHash = createHash('sha256').update(encoding).update(body).digest('hex');
  return writeSpans({ bodyHash, spans: decoded.spans, rejected, message: reasons(decoded) });
}

function reasons({ refused }: DecodedSpans): string {
  return [...refused].map(([reason, count]) => `${count} × ${reason}`).join('; ');
}

function textOf(body: Buffer): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(body);
  } catch {
    throw new MalformedRequest('the body is not UTF-8');
  }
}
