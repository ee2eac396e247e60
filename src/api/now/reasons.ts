import { z } from 'zod';
import { failureRoles } from '../../core/failures/failureRoles.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import { timeShift } from '../../core/journeys/timeShift.ts';
import { assemble } from '../../core/trace/assemble.ts';
import { criticalPath } from '../../core/trace/criticalPath.ts';
import { type LedgerLine, ledger } from '../../core/trace/ledger.ts';
import type { Span } from '../../core/trace/span.ts';
import { TIME_KINDS } from '../../core/trace/timeKind.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { yieldToEventLoop } from '../breathing.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type Reasons = z.output<typeof reasons.answer>;

/** Traces that are taken of each side, and of the failed ones. */
const SAMPLE = 120;
const FAILED_SAMPLE = 60;

export const reasons = endpoint({
  path: '/api/now/reasons',
  summary: 'Where the extra time of a journey sits, and where its failures start, from a fair sample of traces before and lit.',
  query: z.strictObject({ ...comparisonParameters, journey: z.string() }),
  answer: z.object({
    traces: z.object({ lit: z.int(), litOf: z.int(), before: z.int(), beforeOf: z.int(), failed: z.int(), failedOf: z.int() }),
    time: z.array(z.object({ party: z.string(), kind: z.enum(TIME_KINDS), beforeNs: z.number(), litNs: z.number() })),
    failures: z.array(
      z.object({
        party: z.string(),
        what: z.string().meta({ description: 'The response code, the exception, or the message of the span where it starts.' }),
        count: z.int(),
        traceId: z.string().meta({ description: 'One of them.' }),
      }),
    ),
  }),
  run: async ({ journey, ...query }) => {
    const windows = await windowsOf(query);
    const [named, operations] = await Promise.all([namedJourneys(), allOperations()]);
    const entries = journeysOf(named, [journey]).find((it) => it.name === journey)?.entries ?? [journey];
    const ids = operations.filter((it) => entries.includes(it.name)).map((it) => it.id);
    const [lit, before, failed] = await Promise.all([
      sampleTraces(windows.lit, ids, SAMPLE),
      sampleTraces(windows.before, ids, SAMPLE),
      sampleTraces(windows.lit, ids, FAILED_SAMPLE, true),
    ]);
    return {
      traces: {
        lit: lit.traces.length,
        litOf: lit.total,
        before: before.traces.length,
        beforeOf: before.total,
        failed: failed.traces.length,
        failedOf: failed.total,
      },
      time: timeShift(await ledgersOf(lit.traces), await ledgersOf(before.traces)),
      failures: failureOrigins(failed.traces),
    };
  },
});

async function ledgersOf(traces: readonly (readonly Span[])[]): Promise<LedgerLine[][]> {
  const ledgers = await yieldToEventLoop(traces, (spans) => {
    const trace = assemble(spans);
    return trace && ledger(trace, criticalPath(trace));
  });
  return ledgers.filter((it) => it !== undefined);
}

interface FailureOrigin {
  readonly party: string;
  readonly what: string;
  count: number;
  readonly traceId: string;
}

function failureOrigins(traces: readonly (readonly Span[])[]): FailureOrigin[] {
  const groups = new Map<string, FailureOrigin>();
  for (const spans of traces) {
    const trace = assemble(spans);
    if (!trace) continue;
    const roles = failureRoles(trace);
    const at = roles.findIndex((role) => role?.role === 'origin');
    if (at < 0) continue;
    const { span } = trace.nodes[at];
    const { party } = roles[at]!;
    const what = failureWords(span);
    const key = `${party}\0${what}`;
    const group = groups.get(key) ?? { party, what, count: 0, traceId: span.traceId };
    group.count++;
    groups.set(key, group);
  }
  return [...groups.values()].sort((a, b) => b.count - a.count);
}

/** What a failing span says of itself, in few words. */
export function failureWords(span: Span): string {
  const code = span.attributes['http.response.status_code'] ?? span.attributes['http.status_code'];
  if (span.kind === 'client' && code !== undefined) return `answers ${code}`;
  const exception = span.events.findLast((it) => it.name === 'exception')?.attributes['exception.type'];
  if (typeof exception === 'string') return exception;
  if (code !== undefined) return `answers ${code}`;
  return span.statusMessage === '' ? 'fails' : span.statusMessage.slice(0, 80);
}
