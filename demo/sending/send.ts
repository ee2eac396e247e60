import type { Span } from '../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/encodeProtobuf.ts';
import { sendOtlp } from '../../src/formats/otlp/send.ts';

const BATCH = 1000;
const SENDERS = 2;

/** Sends spans as anybody would: OTLP/HTTP in batches, each again until it is acknowledged. @throws Error when one is refused */
export async function send(address: string, spans: readonly Span[], sent: (count: number) => void): Promise<void> {
  let next = 0;
  let done = 0;
  const sender = async () => {
    while (next < spans.length) {
      const batch = spans.slice(next, next + BATCH);
      next += BATCH;
      await sendOtlp(address, 'traces', encodeTracesProtobuf(batch));
      done += batch.length;
      sent(done);
    }
  };
  await Promise.all(Array.from({ length: SENDERS }, sender));
}
