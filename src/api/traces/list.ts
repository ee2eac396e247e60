import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import { parseTraceId } from '../../core/trace/span.ts';
import { listTraces, TRACE_ORDERS, type TraceCursor } from '../../store/traces/listTraces.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter, wholeNumber } from '../parameters.ts';

const summary = z.object({
  traceId: z.string(),
  start: z.string().meta({ description: 'The first start of any of its spans, ISO 8601 with nine decimals.' }),
  durationNs: z.int().meta({ description: "The root's duration." }),
  service: z.string().meta({ description: "The root's service." }),
  operation: z.string().meta({ description: "The root's name." }),
  spanCount: z.int(),
  failedSpanCount: z.int(),
  failed: z.boolean().meta({ description: 'Whether the root itself failed, which is to say the request.' }),
  services: z.array(z.string()).meta({ description: "All that take part, the root's first." }),
});

export type TraceListItem = z.output<typeof summary>;
export type TraceListPage = z.output<typeof list.answer>;

export const list = endpoint({
  path: '/api/traces',
  least: 'reader',
  summary: 'Traces that a filter leaves, a page at a time.',
  runs: 'analysis',
  query: z.strictObject({
    ...filterParameters,
    sort: z.enum(TRACE_ORDERS, { error: `one of ${TRACE_ORDERS.join(', ')} is expected` }).default('-duration'),
    limit: wholeNumber(1, 1000, 100),
    cursor: z.string().optional().meta({ description: "The former page's nextCursor." }),
  }),
  answer: z.object({ traces: z.array(summary), total: z.int(), nextCursor: z.string().nullable() }),
  run: async (query) => {
    const after = query.cursor === undefined ? undefined : readCursor(query.cursor, query.sort);
    const page = await listTraces(traceFilter(query), query.sort, query.limit, after);
    return {
      traces: page.found.map(({ startNs, rootFailed, services, ...rest }) => ({
        ...rest,
        start: formatIso(startNs),
        failed: rootFailed,
        services: [...services],
      })),
      total: page.total,
      nextCursor: page.next && writeCursor(page.next, query.sort),
    };
  },
});

function writeCursor({ value, traceId }: TraceCursor, sort: string): string {
  return Buffer.from(`${sort} ${value} ${traceId}`).toString('base64url');
}

function readCursor(cursor: string, sort: string): TraceCursor {
  const [order, value, id] = Buffer.from(cursor, 'base64url').toString().split(' ');
  const traceId = parseTraceId(id ?? '');
  if (order !== sort || !/^\d{1,19}$/.test(value ?? '') || BigInt(value) >= 2n ** 63n || !traceId)
    throw new ApiError(400, `cursor: is not one that an earlier page with sort=${sort} gave`);
  return { value: BigInt(value), traceId };
}
