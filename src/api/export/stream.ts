import { z } from 'zod';
import { secondAttributes } from '../../formats/events/sampledSession.ts';
import { requestToJson } from '../../formats/otlp/json/toJson.ts';
import { encodeLogsProtobuf } from '../../formats/otlp/record/encodeLogs.ts';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { recordsWithin } from '../../formats/otlp/wire/recordsWithin.ts';
import { readRequest } from '../../formats/otlp/wire/request.ts';
import { requestsBetween } from '../../store/blocks/recentBlocks.ts';
import { secondBlocks } from '../../store/databases/sampledSeconds.ts';
import { statementTexts } from '../../store/databases/statementTexts.ts';
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
  if (signal === 'logs') yield* sessionLines(from, to);
  return undefined;
}

const SCOPE = { name: 'dusk-lantern', version: '1' };

/** Sampled database seconds as the events that they came as, a request a block; each statement's text with its first. */
async function* sessionLines(from: bigint, to: bigint): AsyncGenerator<string, undefined> {
  const written = new Set<string>();
  for await (const { service, seconds } of secondBlocks({ from, to })) {
    const fresh = new Set(seconds.flatMap(({ sessions }) => sessions.map(({ statementId }) => statementId)));
    for (const id of written) fresh.delete(id);
    const texts = Object.fromEntries(await statementTexts(fresh));
    for (const id of fresh) written.add(id);
    const records = seconds.map(({ timeNs, ...second }, at) => ({
      resource: { 'service.name': service },
      scope: SCOPE,
      time: timeNs,
      severity: 0,
      body: null,
      attributes: secondAttributes(second, at === 0 ? texts : {}),
      event: 'lantern.db.second',
    }));
    if (records.length > 0) yield `${JSON.stringify(requestToJson(readRequest(encodeLogsProtobuf(records)), 'logs'))}\n`;
  }
  return undefined;
}
