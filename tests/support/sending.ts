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
export async function sendSpans(
  url: string,
  spans: readonly Span[],
  options: { gzip?: boolean; headers?: Record<string, string> } = {},
): Promise<void> {
  const body = encodeTracesProtobuf(spans);
  const answer = await post(url, options.gzip ? gzipSync(body) : body, PROTOBUF, {
    ...options.headers,
    ...(options.gzip ? { 'content-encoding': 'gzip' } : {}),
  });
  if (answer.status !== 200) throw new Error(`${answer.status} ${await answer.text()}`);
}

/** Sends OTLP/JSON. @throws Error when it is not taken @returns what the answer says */
export async function sendJson(url: string, path: string, body: unknown): Promise<{ partialSuccess?: Record<string, string> }> {
  const answer = await post(url, JSON.stringify(body), JSON_TYPE, {}, path);
  if (answer.status !== 200) throw new Error(`${answer.status} ${await answer.text()}`);
  return answer.json();
}

/** An answer that leaves something out while columns are built is asked for again, so often at most. */
const MOST_TRIES = 60;

/** Asks for JSON until the answer is of all that is stored. */
// biome-ignore lint/suspicious/noExplicitAny: a test says itself what it expects of an answer
export async function getJson(url: string, path: string): Promise<any> {
  for (let tries = 1; ; tries++) {
    const answer = await fetch(url + path);
    if (!answer.ok) throw new Error(`${answer.status} ${await answer.text()}`);
    const said = (await answer.json()) as { building?: number };
    // Of requests the header says it, of lines the answer itself.
    const { building = 0 } = JSON.parse(answer.headers.get('lantern-left-out') ?? '{}') as { building?: number };
    if ((building === 0 && !said.building) || tries === MOST_TRIES) return said;
  }
}
