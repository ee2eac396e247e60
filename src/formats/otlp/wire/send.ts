import { setTimeout as sleep } from 'node:timers/promises';
import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import type { Signal } from './messages.ts';
import { tokenHeader } from './tokenHeader.ts';

/** Where each signal is sent to, under the address of a receiver. */
export const PATHS: Readonly<Record<Signal, string>> = {
  traces: '/v1/traces',
  logs: '/v1/logs',
  metrics: '/v1/metrics',
  profiles: '/v1development/profiles',
};

const MOST_TRIES = 60;
/** Larger bodies are packed: they may be over what a receiver takes plain. */
const PACKED_FROM = 1024 * 1024;

/**
 * Sends an export request in protobuf, as any sender would: again until it is acknowledged.
 *
 * @returns what the receiver said of records that it did not take, or that are not as they should be; empty when there is nothing to say
 * @throws Error when it is refused, or when nobody takes it for a minute
 */
export async function sendOtlp(address: string, signal: Signal, body: Uint8Array): Promise<string> {
  const url = new URL(PATHS[signal], address);
  const isPacked = body.length > PACKED_FROM;
  const packed = isPacked ? await promisify(gzip)(body, { level: 1 }) : body;
  const headers = {
    'content-type': 'application/x-protobuf',
    ...tokenHeader(),
    ...(isPacked ? { 'content-encoding': 'gzip' } : {}),
  };
  for (let attempt = 1; ; attempt++) {
    const answer = await fetch(url, { method: 'POST', headers, body: packed as BodyInit }).catch((error: Error) => error);
    if (answer instanceof Response && answer.status === 200) return readable(await answer.text());
    const why = answer instanceof Response ? `${answer.status} ${readable(await answer.text())}` : answer.message;
    const isPassing = !(answer instanceof Response) || answer.status === 503 || answer.status === 429;
    if (!isPassing || attempt === MOST_TRIES) throw new Error(`${url} did not take it: ${why}`);
    const wait = answer instanceof Response ? Number(answer.headers.get('retry-after')) || 1 : 1;
    await sleep(wait * 1000);
  }
}

/** The words in a protobuf answer, without its other bytes. */
function readable(text: string): string {
  return text.replace(/[^\x20-\x7e×]+/g, ' ').trim();
}
