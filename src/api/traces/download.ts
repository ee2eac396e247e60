import { z } from 'zod';
import type { SpanId } from '../../core/trace/span.ts';
import { requestToJson } from '../../formats/otlp/json/toJson.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import type { RecordGroup } from '../../formats/otlp/wire/request.ts';
import { requestOfTrace } from '../../store/blocks/readTrace.ts';
import { ApiError, type Asked, errorAnswer } from '../endpoint.ts';
import { spanIdText, traceIdText } from '../parameters.ts';

const asked = z.object({ traceId: traceIdText, spanId: spanIdText.optional() });

/** A trace, or one span of it, as the OTLP JSON it came as; to be saved under its name. */
export async function downloadTrace({ url, parameters }: Asked): Promise<Response> {
  try {
    const read = asked.safeParse({ ...Object.fromEntries(url.searchParams), ...parameters });
    if (!read.success) throw new ApiError(400, 'not the ids of a trace and a span');
    const { traceId, spanId } = read.data;
    const request = await requestOfTrace(traceId);
    const groups = request?.groups.map((group) => ({ ...group, records: group.records.filter((it) => isOf(it, spanId)) }));
    const kept = groups?.filter(({ records }) => records.length > 0) ?? [];
    if (kept.length === 0)
      throw new ApiError(404, spanId ? `Span ${spanId} is not kept.` : `No span of trace ${traceId} is kept.`);
    return new Response(streamOf(jsonPieces(kept)), {
      headers: {
        'content-type': 'application/json; charset=utf-8',
        'content-disposition': `attachment; filename="trace-${traceId}${spanId ? `-${spanId}` : ''}.otlp.json"`,
        'cache-control': 'no-store',
      },
    });
  } catch (error) {
    return errorAnswer(error);
  }
}

/** Records that are written at a time: the whole would take many times the memory that the spans do. */
const AT_ONCE = 500;

/** One JSON text of an export request, piece by piece. */
function* jsonPieces(groups: readonly RecordGroup[]): Generator<string> {
  let isFirst = true;
  for (const group of groups)
    for (let from = 0; from < group.records.length; from += AT_ONCE) {
      const part = { ...group, records: group.records.slice(from, from + AT_ONCE) };
      const json = JSON.stringify(requestToJson({ groups: [part], beside: Buffer.alloc(0) }, 'traces'), null, 1);
      // The list of resources within the braces of the request.
      const resources = json.slice(json.indexOf('[') + 1, json.lastIndexOf(']')).trimEnd();
      yield isFirst ? `{\n "resourceSpans": [${resources}` : `,${resources}`;
      isFirst = false;
    }
  yield '\n ]\n}';
}

/** Sent as fast as it is read, and no faster. */
function streamOf(pieces: Generator<string>): ReadableStream<Uint8Array> {
  return new ReadableStream({
    pull: (controller) => {
      const { done, value } = pieces.next();
      if (done) controller.close();
      else controller.enqueue(new TextEncoder().encode(value));
    },
  });
}

function isOf(record: Uint8Array, spanId: SpanId | undefined): boolean {
  return spanId === undefined || readSpan(record, {}, { name: '', version: '' }).spanId === spanId;
}
