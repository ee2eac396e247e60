import type { EpochNanos, Span, TraceId } from '../../core/trace/span.ts';
import { traceIdBytes } from '../../formats/otlp/span/spanRecord.ts';
import { readSpans } from '../blocks/readTrace.ts';
import { blocksWith } from '../blocks/scanSpans.ts';

/** Traces joined at most: a flow of more is no longer seen as a whole. */
const MOST_TRACES = 30;
/** A message that waited longer than this is looked for no more. */
const LONGEST_WAIT_NS = 2n * 3_600_000_000_000n;

/**
 * A trace with those that messages join it to, either way, and those joined to them: the trace that sent what it took, and whoever took
 * what it sent.
 *
 * @returns `first`: the one that began it all
 */
export async function spansOfFlow(traceId: TraceId): Promise<{ spans: Span[]; first: TraceId; complete: boolean }> {
  const known = new Map<TraceId, Span[]>();
  const open: TraceId[] = [traceId];
  let complete = true;
  for (let id = open.shift(); id !== undefined; id = open.shift()) {
    if (known.has(id)) continue;
    if (known.size >= MOST_TRACES) {
      complete = false;
      break;
    }
    const spans = await readSpans(id);
    known.set(id, spans);
    for (const { links } of spans) for (const link of links) open.push(link.traceId);
    if (spans.some((span) => span.kind === 'producer')) open.push(...(await takersOf(id, startOf(spans))));
  }
  const first = [...known]
    .filter(([, spans]) => spans.length > 0)
    .sort(([, a], [, b]) => (startOf(a) < startOf(b) ? -1 : 1))[0]?.[0];
  return { spans: [...known.values()].flat(), first: first ?? traceId, complete };
}

function startOf(spans: readonly Span[]): EpochNanos {
  return spans.reduce((first, span) => (span.start < first ? span.start : first), spans[0].start);
}

/** Traces with a span that has a link to a trace. */
async function takersOf(traceId: TraceId, from: EpochNanos): Promise<TraceId[]> {
  const id = Buffer.from(traceId, 'hex');
  const found = new Set<TraceId>();
  for await (const { request } of blocksWith(id, from, from + LONGEST_WAIT_NS))
    for (const { records } of request.groups)
      for (const record of records) {
        if (!Buffer.from(record.buffer, record.byteOffset, record.byteLength).includes(id)) continue;
        const own = traceIdBytes(record);
        if (own && !id.equals(own)) found.add(Buffer.from(own).toString('hex') as TraceId);
      }
  return [...found];
}
