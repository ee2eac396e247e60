import { inArray, sql } from 'drizzle-orm';
import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import { StratifiedSample } from '../../core/measures/sampling/stratifiedSample.ts';
import { DURATION, ID, OUTCOME } from '../../core/requests/requestColumns.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { skimSpan } from '../../formats/otlp/span/spanSkim.ts';
import { readTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { idAt, outcomeOf } from '../requests/requestPoints.ts';
import { eachRequest } from '../requests/requestScope.ts';
import { trace } from '../schema/index.ts';
import type { TraceFilter } from './traceFilter.ts';

/** A trace of a sample, and how many requests it represents. */
export interface SampledTrace {
  readonly spans: readonly Span[];
  readonly weight: number;
}

/**
 * A sample of the requests that a filter leaves, and how many there are in all. The same sample each time, whatever the ids look like.
 *
 * @param strata `stratified`: by duration and outcome, so that the rare ones are in it, with weights that differ; `uniform`: every request
 *   is as likely as any other, and all weights are the same
 * @param readSpan what of each span is read
 */
export async function sampleTraces(
  filter: TraceFilter,
  most: number,
  strata: 'stratified' | 'uniform',
  readSpan: typeof skimSpan = skimSpan,
): Promise<{ total: number; traces: SampledTrace[] }> {
  const sample = new StratifiedSample<TraceId>(most);
  await eachRequest(filter, ({ segment, rows }) => {
    const ids = segment.column(ID);
    if (ids?.type !== 'bytes') return;
    const ns = numbersOf(segment, DURATION);
    const outcome = codesOf(segment, OUTCOME).values;
    const isUniform = strata === 'uniform';
    for (const row of rows)
      sample.add(
        {
          idBytes: ids.values,
          idAt: row * ids.width,
          durationNs: isUniform ? 1 : ns[row],
          outcome: isUniform ? 0 : outcomeOf(outcome[row]),
        },
        idAt(segment, row) as TraceId,
      );
  });
  const taken = new Map(sample.taken().map(({ item, weight }) => [item as string, weight]));
  const rows = await database()
    .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks })
    .from(trace)
    .where(inArray(trace.traceId, [...taken.keys()]))
    .orderBy(sql`${trace.blocks}[1]`);
  const spans = await readTraces(rows, readSpan);
  return {
    total: sample.total,
    traces: rows.map(({ traceId }, at) => ({ spans: spans[at], weight: taken.get(traceId)! })),
  };
}
