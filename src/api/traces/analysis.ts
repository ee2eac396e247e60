import { assemble, type Trace, type TraceProblem } from '../../core/trace/assemble.ts';
import { criticalPath, type PathSegment } from '../../core/trace/criticalPath.ts';
import { type FailureRole, failureRoles, retriedNodes } from '../../core/trace/failure.ts';
import { type LedgerLine, ledger } from '../../core/trace/ledger.ts';
import { selfTimes } from '../../core/trace/selfTime.ts';
import type { Nanos, TraceId } from '../../core/trace/span.ts';
import { readSpans } from '../../store/readTrace.ts';
import { ApiError } from '../endpoint.ts';

/** A trace with all that is computed from it. Lists run beside `trace.nodes`. */
export interface TraceAnalysis {
  readonly trace: Trace;
  readonly durationNs: Nanos;
  readonly selfNs: readonly Nanos[];
  readonly roles: readonly (FailureRole | null)[];
  readonly retried: readonly number[];
  readonly path: readonly PathSegment[];
  readonly ledger: readonly LedgerLine[];
}

/** Reads a trace and works it out. @throws ApiError 404 when it is not kept */
export async function analyseTrace(traceId: TraceId): Promise<TraceAnalysis> {
  const trace = assemble(await readSpans(traceId));
  if (!trace) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
  const root = trace.nodes[trace.roots[0]];
  const path = criticalPath(trace);
  return {
    trace,
    durationNs: root.end - root.start,
    selfNs: selfTimes(trace),
    roles: failureRoles(trace),
    retried: retriedNodes(trace),
    path,
    ledger: ledger(trace, path),
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
