import { textOf } from '../../core/trace/attributeNames.ts';
import { peerName } from '../../core/trace/peer.ts';
import { readStatement } from '../../formats/database/fingerprint.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { sampleTraces } from '../scope/sampleTraces.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { withParser } from './statements.ts';

/** Calls of one statement, read from the spans of its callers. */
export interface StatementCalls {
  /** Nanoseconds that each took for its caller, ascending. */
  readonly durations: Float64Array;
  /** Requests that made such a call. */
  readonly requests: number;
  /** Requests that were read, and all that there are. */
  readonly read: number;
  readonly total: number;
}

/** The calls of a statement to a server in a fair sample of requests. @param most requests that are read */
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
