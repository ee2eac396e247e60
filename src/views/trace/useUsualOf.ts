import { useMemo } from 'react';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import type { UsualDurations } from '../../api/traces/usual.ts';
import { shareBelow } from '../../core/measures/sketch.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import type { Usual } from './timeline/rowView.ts';

/** What is usual for each span of a trace; nothing as long as it is not known. */
export function useUsualOf(
  trace: TraceTimeline | undefined,
  found: UsualDurations | undefined,
): (span: number) => Usual | undefined {
  return useMemo(() => {
    if (!trace || !found) return () => undefined;
    const keyOf = (service: string, operation: string, kind: string) => `${kind}\0${service}\0${operation}`;
    const byKey = new Map(
      found.operations.map(({ service, operation, kind, p50Ns, calls, zero, buckets }) => {
        const sketch = { zero, buckets: new Map(buckets) };
        return [keyOf(service, operation, kind), { p50Ns, calls, shareBelow: (ns: number) => shareBelow(sketch, ns) }];
      }),
    );
    const { service, operation, kind } = trace.spans;
    return (span) => byKey.get(keyOf(trace.services[service[span]], trace.operations[operation[span]], SPAN_KINDS[kind[span]]));
  }, [trace, found]);
}
