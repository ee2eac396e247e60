import { and, asc, eq, inArray } from 'drizzle-orm';
import type { SessionSample } from '../../core/trace/databaseWaits.ts';
import { parseSpanId, type TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { dbSample } from '../schema/index.ts';

/** The W3C trace context that instrumentations write into a statement's comment. */
const TRACEPARENT = /\/\*.*?traceparent='00-[0-9a-f]{32}-([0-9a-f]{16})-[0-9a-f]{2}'.*?\*\//;

/** Database sessions as they were seen working for some traces, by trace, each by time. Those without any are not in it. */
export async function samplesOfTraces(traceIds: readonly TraceId[]): Promise<Map<TraceId, SessionSample[]>> {
  const rows = await database()
    .select({
      traceId: dbSample.traceId,
      time: dbSample.timeNs,
      server: dbSample.server,
      waitClass: dbSample.waitClass,
      waitEvent: dbSample.waitEvent,
      blockedBy: dbSample.blockedBy,
      statement: dbSample.statement,
    })
    .from(dbSample)
    .where(and(inArray(dbSample.traceId, [...traceIds]), eq(dbSample.state, 'active')))
    .orderBy(asc(dbSample.timeNs));
  const byTrace = new Map<TraceId, SessionSample[]>();
  for (const { traceId, statement, ...row } of rows) {
    const sample = {
      ...row,
      spanId: parseSpanId(TRACEPARENT.exec(statement)?.[1] ?? '') ?? null,
      statement: statement.replace(TRACEPARENT, '').trim(),
    };
    const samples = byTrace.get(traceId as TraceId);
    if (samples) samples.push(sample);
    else byTrace.set(traceId as TraceId, [sample]);
  }
  return byTrace;
}
