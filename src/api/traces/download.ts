import { z } from 'zod';
import type { SpanId } from '../../core/trace/span.ts';
import { requestToJson } from '../../formats/otlp/json/toJson.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
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
    return new Response(JSON.stringify(requestToJson({ groups: kept, beside: Buffer.alloc(0) }, 'traces'), null, 1), {
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

function isOf(record: Uint8Array, spanId: SpanId | undefined): boolean {
  return spanId === undefined || readSpan(record, {}, { name: '', version: '' }).spanId === spanId;
}
