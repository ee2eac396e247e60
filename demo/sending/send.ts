import { setTimeout as sleep } from 'node:timers/promises';
import type { Span } from '../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/encodeProtobuf.ts';

const BATCH = 1000;
const SENDERS = 2;
const MOST_TRIES = 30;

/** Sends spans as anybody would: OTLP/HTTP in batches, each again until it is acknowledged. @throws Error when one is refused */
export async function send(address: string, spans: readonly Span[], sent: (count: number) => void): Promise<void> {
  let next = 0;
  let done = 0;
  const sender = async () => {
    while (next < spans.length) {
      const batch = spans.slice(next, next + BATCH);
      next += BATCH;
      await post(`${address}/v1/traces`, encodeTracesProtobuf(batch));
      done += batch.length;
      sent(done);
    }
  };
  await Promise.all(Array.from({ length: SENDERS }, sender));
}

async function post(url: string, body: Uint8Array): Promise<void> {
  for (let attempt = 1; ; attempt++) {
    const answer = await fetch(url, {
      method: 'POST',
      headers: { 'content-type': 'application/x-protobuf' },
      body: body as BodyInit,
    }).catch((error: Error) => error);
    if (answer instanceof Response && answer.status === 200) return;
    const why = answer instanceof Response ? `${answer.status} ${await answer.text()}` : answer.message;
    const isPassing = !(answer instanceof Response) || answer.status === 503 || answer.status === 429;
    if (!isPassing || attempt === MOST_TRIES) throw new Error(`${url} did not take the spans: ${why}`);
    const wait = answer instanceof Response ? Number(answer.headers.get('retry-after')) || 1 : 1;
    await sleep(wait * 1000);
  }
}
