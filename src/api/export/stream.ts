import { z } from 'zod';
import { requestToJson } from '../../formats/otlp/json/toJson.ts';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { recordsWithin } from '../../formats/otlp/wire/recordsWithin.ts';
import { requestsBetween } from '../../store/blocks/recentBlocks.ts';
import { type Asked, explain } from '../endpoint.ts';
import { isoTime } from '../parameters.ts';

const query = z.strictObject({ signal: z.enum(SIGNALS), from: isoTime.optional(), to: isoTime.optional() });
const EVER = 2n ** 63n - 1n;

/**
 * All that is kept of a signal in a window as OTLP JSON lines: an export request a line. Sent as it is read, so that any length of time
 * can be had; a reader that is slow is waited for.
 */
export function exportLines({ url, parameters }: Asked): Response {
  const asked = query.safeParse({ ...Object.fromEntries(url.searchParams), ...parameters });
  if (!asked.success) {
    const message = asked.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ');
    return new Response(JSON.stringify({ error: message }), { status: 400, headers: { 'content-type': 'application/json' } });
  }
  const { from = 0n, to = EVER } = asked.data;
  const lines = linesOf(asked.data.signal, from, to);
  const body = new ReadableStream<Uint8Array>({
    pull: async (controller) => {
      try {
        const { done, value } = await lines.next();
        if (done) controller.close();
        else controller.enqueue(new TextEncoder().encode(value));
      } catch (error) {
        explain(error);
        // What has been sent cannot be taken back: the connection breaks off, so that nobody takes it for the whole.
        controller.error(error);
      }
    },
    cancel: () => void lines.return(undefined),
  });
  return new Response(body, { headers: { 'content-type': 'application/x-ndjson; charset=utf-8', 'cache-control': 'no-store' } });
}

async function* linesOf(signal: Signal, from: bigint, to: bigint): AsyncGenerator<string, undefined> {
  for await (const request of requestsBetween(signal, from, to)) {
    const within = recordsWithin(request, signal, from, to);
    if (within.groups.length > 0) yield `${JSON.stringify(requestToJson(within, signal))}\n`;
  }
  return undefined;
}
