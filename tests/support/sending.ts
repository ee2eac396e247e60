import { gzipSync } from 'node:zlib';
import type { Span } from '../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';

export const PROTOBUF = 'application/x-protobuf';
export const JSON_TYPE = 'application/json';

export function post(
  url: string,
  body: Uint8Array | string,
  type: string,
  headers: Record<string, string> = {},
  path = '/v1/traces',
): Promise<Response> {
  return fetch(url + path, { method: 'POST', headers: { 'content-type': type, ...headers }, body: body as BodyInit });
}

/** Sends spans as protobuf. @throws Error when they are not taken */
export async function sendSpans(url: string, spans: readonly Span[], options: { gzip?: boolean } = {}): Promise<void> {
  const body = encodeTracesProtobuf(spans);
  const answer = await post(
    url,
    options.gzip ? gzipSync(body) : body,
    PROTOBUF,
    options.gzip ? { 'content-encoding': 'gzip' } : {},
  );
  if (answer.status !== 200) throw new Error(`${answer.status} ${await answer.text()}`);
}

/** Sends OTLP/JSON. @throws Error when it is not taken @returns what the answer says */
export async function sendJson(url: string, path: string, body: unknown): Promise<{ partialSuccess?: Record<string, string> }> {
  const answer = await post(url, JSON.stringify(body), JSON_TYPE, {}, path);
  if (answer.status !== 200) throw new Error(`${answer.status} ${await answer.text()}`);
  return answer.json();
}

// biome-ignore lint/suspicious/noExplicitAny: a test says itself what it expects of an answer
export async function getJson(url: string, path: string): Promise<any> {
  const answer = await fetch(url + path);
  if (!answer.ok) throw new Error(`${answer.status} ${await answer.text()}`);
  return answer.json();
}
