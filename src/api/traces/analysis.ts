import { type Attempts, attempts, cancelledNodes, type GaveUp, gaveUp } from '../../core/failures/attempts.ts';
import {
  type FailureChain,
  type FailureRole,
  failureChains,
  failureRoles,
  retriedNodes,
} from '../../core/failures/failureRoles.ts';
import { type FoldedSiblings, foldSiblings } from '../../core/trace/alike/fold.ts';
import { assemble, type Trace, type TraceProblem } from '../../core/trace/assemble.ts';
import { selfTimes } from '../../core/trace/selfTime.ts';
import type { Nanos, Span, TraceId } from '../../core/trace/span.ts';
import { criticalPath, type PathSegment } from '../../core/trace/time/criticalPath.ts';
import { databaseWaits, type SampledWaits } from '../../core/trace/time/databaseWaits.ts';
import { joinFlow, type QueueWait, queueWaits } from '../../core/trace/time/flow.ts';
import { type LedgerLine, ledger } from '../../core/trace/time/ledger.ts';
import { outlineSpans } from '../../store/blocks/readTrace.ts';
import { spansOfFlow } from '../../store/traces/linkedTraces.ts';
import { samplesOfTraces } from '../../store/traces/sessionSamples.ts';
import { traceSize } from '../../store/traces/traceSize.ts';
import { ApiError } from '../endpoint.ts';

/** A trace, or traces joined by messages, with all that is computed from them. Lists run beside `trace.nodes`. */
export interface TraceAnalysis {
  readonly trace: Trace;
  /** The root's duration; of a flow, until the end of what was done last. What path and ledger sum to. */
  readonly durationNs: Nanos;
  readonly selfNs: readonly Nanos[];
  readonly roles: readonly (FailureRole | null)[];
  readonly chains: readonly FailureChain[];
  readonly retried: readonly number[];
  readonly attempts: readonly Attempts[];
  readonly gaveUp: readonly GaveUp[];
  readonly cancelled: readonly number[];
  readonly path: readonly PathSegment[];
  readonly ledger: readonly LedgerLine[];
  readonly folds: readonly FoldedSiblings[];
  readonly waits: ReadonlyMap<number, SampledWaits>;
  readonly queues: readonly QueueWait[];
  /** Whether traces were left out of a flow, which would have been too many. */
  readonly complete: boolean;
}

/** Spans of a trace that are worked out together: so many fit into the heap of an analysis process. */
const MOST_SPANS = 200_000;

/** @throws ApiError for a trace that is too large to be worked out in the memory there is */
async function refuseHuge(traceId: TraceId): Promise<void> {
  const size = await traceSize(traceId);
  if (size > MOST_SPANS)
    throw new ApiError(
      400,
      `This trace has ${size} spans, ${MOST_SPANS} are worked out at most. All of them can be had as OTLP: /api/traces/${traceId}/otlp`,
    );
}

/** Reads a trace and works it out. @throws ApiError 404 when it is not kept */
export async function analyseTrace(traceId: TraceId): Promise<TraceAnalysis> {
  await refuseHuge(traceId);
  const [spans, samples] = await Promise.all([outlineSpans(traceId), samplesOfTraces([traceId])]);
  const trace = assemble(spans);
  if (!trace) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
  return analyse(trace, criticalPath(trace), databaseWaits(trace, samples.get(traceId) ?? []));
}

/** The same for a trace together with those that messages join it to. @throws ApiError 404 when it is not kept */
export async function analyseFlow(traceId: TraceId): Promise<TraceAnalysis> {
  const { spans, first, complete } = await spansOfFlow(traceId);
  const flow = joinFlow(spans, first);
  if (!flow) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
  const samples = await samplesOfTraces([...new Set(spans.map((span) => span.traceId))]);
  return { ...analyse(flow.trace, flow.path, databaseWaits(flow.trace, [...samples.values()].flat())), complete };
}

/** Works out spans that need not be kept. */
export function analyseSpans(spans: readonly Span[]): TraceAnalysis | undefined {
  const trace = assemble(spans);
  return trace && analyse(trace, criticalPath(trace), new Map());
}

function analyse(trace: Trace, path: readonly PathSegment[], waits: ReadonlyMap<number, SampledWaits>): TraceAnalysis {
  const roles = failureRoles(trace);
  return {
    trace,
    durationNs: path.reduce((sum, { start, end }) => sum + end - start, 0),
    selfNs: selfTimes(trace),
    roles,
    chains: failureChains(trace, roles),
    retried: retriedNodes(trace),
    attempts: attempts(trace),
    gaveUp: gaveUp(trace),
    cancelled: cancelledNodes(trace),
    path,
    ledger: ledger(trace, path, (node) => waits.get(node)),
    folds: foldSiblings(trace, path),
    waits,
    queues: queueWaits(trace),
    complete: true,
  };
}

/** What is broken in a trace, each with the span it is about and in words. */
export function describeProblems({ problems }: Trace): { type: string; spanId: string; message: string }[] {
  return problems.map((problem) => ({ type: problem.type, spanId: problem.spanId, message: problemText(problem) }));
}

function problemText(problem: TraceProblem): string {
  switch (problem.type) {
    case 'missing-parent':
      return `its parent ${problem.parentSpanId} is not there; it hangs under the root`;
    case 'further-root':
      return 'a further span without a parent; the critical path is that of the earliest';
    case 'duplicate':
      return 'came more than once; counted once';
    case 'cycle':
      return 'is its own ancestor; the circle is cut here';
    case 'clock-skew':
      return `its clock was off; moved by ${problem.shiftNs} ns to lie inside its caller`;
    case 'time-out-of-range':
      return 'its time is too far from the rest of the trace; pulled back';
  }
}
