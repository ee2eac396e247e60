import { addCall, type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { condition } from '../../core/scope/condition.ts';
import { textOf } from '../../core/trace/attributeNames.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { sumVerdicts } from '../../core/verdict/sumVerdicts.ts';
import { spansOf } from '../../store/blocks/readTrace.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import type { Window } from '../comparison.ts';
import { describeSum } from '../map/map.ts';
import { describeVerdict } from '../verdict/verdicts.ts';

/** Traces that took messages, of either side, and traces that sent them, at most: they are read whole. */
const SAMPLE = 200;
const MOST_SENDERS = 400;
/** Larger traces are left out. */
const MOST_SPANS = 200;

/**
 * How long messages of a queue waited between the end of the span that sent them and the start of the one that took them, in a sample of
 * the traces that took some.
 *
 * @param consumers services that take from it @returns `calls`: messages of the sample; null when no message names its sender
 */
export async function queueWaitsOf(
  queue: string,
  consumers: readonly string[],
  { lit, before }: { readonly lit: Window; readonly before: Window },
) {
  if (consumers.length === 0) return null;
  // One after the other: either holds many spans.
  const now = await waitsIn(queue, consumers, lit);
  const then = await waitsIn(queue, consumers, before);
  if (now.calls === 0 && then.calls === 0) return null;
  const [verdict] = sumVerdicts([{ lit: now, before: then }]);
  return { lit: describeSum(now), before: describeSum(then), ...describeVerdict(verdict) };
}

async function waitsIn(queue: string, consumers: readonly string[], window: Window): Promise<CallSum> {
  const where = [...(window.where ?? []), condition('service', 'is', ...consumers)];
  const { traces: sampled } = await sampleTraces({ ...window, where }, SAMPLE, 'uniform');
  // A sample has no links: what took messages is read whole.
  const takers = await spansOf(
    sampled.map(({ spans }) => spans[0].traceId),
    MOST_SPANS,
  );
  const taken = [...takers.values()]
    .flat()
    .filter((it) => it.kind === 'consumer' && textOf(it.attributes, 'messaging.destination.name') === queue);
  const senders = new Map<TraceId, Span[]>([
    ...takers,
    ...(await spansOf(
      [...new Set(taken.flatMap(({ links }) => links.map((it) => it.traceId)))].slice(0, MOST_SENDERS),
      MOST_SPANS,
    )),
  ]);
  const sum = noCalls();
  for (const span of taken) {
    const named = [
      ...span.links.map(({ traceId, spanId }) => ({ traceId, spanId })),
      { traceId: span.traceId, spanId: span.parentSpanId },
    ];
    const sender = named.flatMap(({ traceId, spanId }) => senders.get(traceId)?.find((it) => it.spanId === spanId) ?? [])[0];
    if (sender?.kind !== 'producer') continue;
    addCall(sum, { durationNs: Math.max(0, Number(span.start - sender.end)), failed: false, clientError: false });
  }
  return sum;
}
