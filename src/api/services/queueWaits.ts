import { group } from 'd3-array';
import { addCall, type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { condition } from '../../core/scope/condition.ts';
import { textOf } from '../../core/trace/attributeNames.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { blocksOf, type CallBlocks } from '../../core/verdict/callBlocks.ts';
import { verdicts } from '../../core/verdict/verdict.ts';
import { spansOf } from '../../store/blocks/readTrace.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import type { Window } from '../comparison.ts';
import { describeSum } from '../map/map.ts';
import { blockStep, describeVerdict } from '../verdict/verdicts.ts';

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
  if (now.length === 0 && then.length === 0) return null;
  // By stretches, so that an hour of a day is not hidden among the others.
  const step = blockStep(lit);
  const [verdict] = verdicts([{ lit: inBlocks(now, step), before: inBlocks(then, step) }]);
  return { lit: describeSum(sumOf(now)), before: describeSum(sumOf(then)), ...describeVerdict(verdict) };
}

/** How long a message waited, and when it was taken. */
interface Wait {
  /** Since 1970-01-01. */
  readonly minute: number;
  readonly ns: number;
}

function sumOf(waits: readonly Wait[]): CallSum {
  const sum = noCalls();
  for (const { ns } of waits) addCall(sum, { durationNs: ns, failed: false, clientError: false });
  return sum;
}

function inBlocks(waits: readonly Wait[], step: number): CallBlocks {
  const byBlock = group(waits, ({ minute }) => Math.floor(minute / step) * step);
  return blocksOf(
    step,
    [...byBlock].map(([at, of]) => ({ at, ...sumOf(of) })),
  );
}

async function waitsIn(queue: string, consumers: readonly string[], window: Window): Promise<Wait[]> {
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
  return taken.flatMap((span): Wait[] => {
    const named = [
      ...span.links.map(({ traceId, spanId }) => ({ traceId, spanId })),
      { traceId: span.traceId, spanId: span.parentSpanId },
    ];
    const sender = named.flatMap(({ traceId, spanId }) => senders.get(traceId)?.find((it) => it.spanId === spanId) ?? [])[0];
    if (sender?.kind !== 'producer') return [];
    return [{ minute: Number(span.start / 60_000_000_000n), ns: Math.max(0, Number(span.start - sender.end)) }];
  });
}
