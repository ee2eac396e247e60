import { z } from 'zod';
import { sumLedgers, timeShift } from '../../core/journeys/timeShift.ts';
import { formatIso } from '../../core/time/iso.ts';
import { compareTraces, type TracedPath } from '../../core/trace/alike/compare.ts';
import { assemble } from '../../core/trace/assemble.ts';
import { parseTraceId, SPAN_KINDS, type TraceId } from '../../core/trace/span.ts';
import { criticalPath } from '../../core/trace/time/criticalPath.ts';
import { databaseWaits } from '../../core/trace/time/databaseWaits.ts';
import { type LedgerLine, ledger } from '../../core/trace/time/ledger.ts';
import { TIME_KINDS } from '../../core/trace/time/timeKind.ts';
import { samplesOfTraces } from '../../store/traces/sessionSamples.ts';
import { typicalTraces } from '../../store/traces/typicalTraces.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';
import { analyseTrace } from './analysis.ts';

export type TraceComparison = z.output<typeof compare.answer>;

/** Traces that the composite is made of, at most. */
const COMPOSITE_OF = 40;

const rowSide = z
  .object({
    count: z.number().meta({ description: 'Spans a trace.' }),
    presence: z.number().meta({ description: 'The share of the traces that have it.' }),
    startNs: z.number().meta({ description: "From the root's start." }),
    endNs: z.number(),
    totalNs: z.number(),
    pathNs: z
      .number()
      .meta({ description: 'What these spans themselves have of the critical path; the rows sum to the duration.' }),
    failed: z.number(),
    spanId: z.string().nullable(),
  })
  .nullable();

const sideAnswer = z.object({
  traceId: z.string().nullable().meta({ description: 'null for the composite.' }),
  traces: z.int(),
  of: z.int().meta({ description: 'From how many they were chosen.' }),
  start: z.string().nullable(),
  service: z.string(),
  operation: z.string(),
  durationNs: z.number().meta({ description: 'The mean, of several.' }),
});

export const compare = endpoint({
  path: '/api/traces/{traceId}/compare',
  least: 'reader',
  summary:
    'A trace (b) laid over another one, or over the composite of its like in the window before or the lit one (a), by structure.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    traceId: traceIdText,
    with: z
      .string()
      .default('before')
      .meta({ description: 'A trace id; or before or lit: the typical ones of the same entry operation in that window.' }),
  }),
  answer: z.object({
    a: sideAnswer,
    b: sideAnswer,
    rows: z.array(
      z.object({
        service: z.string(),
        operation: z.string(),
        kind: z.enum(SPAN_KINDS),
        depth: z.int(),
        parent: z.int(),
        a: rowSide,
        b: rowSide,
      }),
    ),
    ledger: z
      .array(z.object({ party: z.string(), kind: z.enum(TIME_KINDS), aNs: z.number(), bNs: z.number() }))
      .meta({ description: 'Where the difference sits, the largest gain first; it sums to the difference of the durations.' }),
  }),
  run: async ({ traceId, with: other, ...query }) => {
    const otherId = parseTraceId(other);
    if (!otherId && other !== 'before' && other !== 'lit')
      throw new ApiError(400, `with: "${other.slice(0, 60)}" is neither a trace id nor before or lit`);
    const [b, a] = await Promise.all([
      oneTrace(traceId),
      otherId ? oneTrace(otherId) : composite(traceId, (await windowsOf(query))[other as 'before' | 'lit']),
    ]);
    const idsOf = (side: Side, node: number | undefined) =>
      side.paths.length === 1 && node !== undefined ? side.paths[0].trace.nodes[node].span.spanId : null;
    return {
      a: describeSide(a),
      b: describeSide(b),
      rows: compareTraces(a.paths, b.paths).map(({ a: left, b: right, ...row }) => ({
        ...row,
        a: left && { ...left, spanId: idsOf(a, left.node) },
        b: right && { ...right, spanId: idsOf(b, right.node) },
      })),
      ledger: timeShift(sumLedgers(b.ledgers), sumLedgers(a.ledgers)).map(({ party, kind, beforeNs, litNs }) => ({
        party,
        kind,
        aNs: beforeNs,
        bNs: litNs,
      })),
    };
  },
});

interface Side {
  readonly traceId: TraceId | null;
  readonly paths: readonly TracedPath[];
  readonly ledgers: readonly (readonly LedgerLine[])[];
  readonly of: number;
}

async function oneTrace(traceId: TraceId): Promise<Side> {
  const { trace, path, ledger: lines } = await analyseTrace(traceId);
  return { traceId, paths: [{ trace, path }], ledgers: [lines], of: 1 };
}

async function composite(traceId: TraceId, window: Parameters<typeof typicalTraces>[1]): Promise<Side> {
  const found = await typicalTraces(traceId, window, COMPOSITE_OF);
  if (!found) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
  const typical = found.traces.flatMap((spans) => assemble(spans) ?? []);
  if (typical.length === 0) throw new ApiError(404, 'No other request of this entry that went well is in that window.');
  const samples = await samplesOfTraces(typical.map((trace) => trace.traceId));
  const paths = typical.map((trace) => ({ trace, path: criticalPath(trace) }));
  const ledgers = paths.map(({ trace, path }) => {
    const waits = databaseWaits(trace, samples.get(trace.traceId) ?? []);
    return ledger(trace, path, (node) => waits.get(node));
  });
  return { traceId: null, paths, ledgers, of: found.of };
}

function describeSide({ traceId, paths, of }: Side): z.input<typeof sideAnswer> {
  const roots = paths.map(({ trace }) => trace.nodes[trace.roots[0]]);
  const [{ trace }] = paths;
  return {
    traceId,
    traces: paths.length,
    of,
    start: traceId === null ? null : formatIso(trace.start),
    service: roots[0].span.service,
    operation: roots[0].span.name,
    durationNs: roots.reduce((sum, { start, end }) => sum + end - start, 0) / roots.length,
  };
}
