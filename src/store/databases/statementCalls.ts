import { textOf } from '../../core/trace/attributeNames.ts';
import { peerName } from '../../core/trace/peer.ts';
import { readStatement } from '../../formats/database/fingerprint.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { sampleTraces } from '../scope/sampleTraces.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { withParser } from './statements.ts';

/** Calls of one statement, as spans of callers tell of them. */
export interface StatementCalls {
  /** Nanoseconds that each took for its caller, ascending. */
  readonly durations: Float64Array;
  /** Requests in which there was one, of how many that were read, of how many that there are. */
  readonly requests: number;
  readonly read: number;
  readonly total: number;
}

/** What the spans of a fair sample of requests say of the calls of a statement to a server. @param most requests that are read */
export async function statementCalls(
  server: string,
  statementId: string,
  filter: TraceFilter,
  most: number,
): Promise<StatementCalls> {
  await withParser();
  const { total, traces } = await sampleTraces(filter, most, 'uniform', readSpan);
  const durations: number[] = [];
  let requests = 0;
  for (const { spans } of traces) {
    const own = spans.filter(({ attributes }) => {
      const text = textOf(attributes, 'db.query.text');
      return text !== undefined && peerName(attributes) === server && readStatement(text)?.id === statementId;
    });
    if (own.length > 0) requests++;
    for (const { start, end } of own) durations.push(Number(end - start));
  }
  return { durations: Float64Array.from(durations).sort(), requests, read: traces.length, total };
}
