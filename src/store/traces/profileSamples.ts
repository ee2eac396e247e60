import { group } from 'd3-array';
import { sql } from 'drizzle-orm';
import type { SpanId, TraceId } from '../../core/trace/span.ts';
import { type SamplesOfProfile, samplesInSpan, samplesInTrace } from '../../formats/otlp/record/profileSamples.ts';
import type { TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { profileBlock } from '../schema/index.ts';

/** Blocks that are read for one span, at most: those that name spans most often. */
const MOST_BLOCKS = 24;
/** A profile is sent once it has ended: those of so long before may still go on. */
const LONGEST_NS = 900_000_000_000n;

interface SpanLocation {
  readonly traceId: TraceId;
  readonly spanId: SpanId;
  readonly service: string;
  readonly start: bigint;
  readonly end: bigint;
}

/** The samples that profilers took in a span: of the profiles of its service that were taken while it ran. */
export function samplesOfSpan(span: SpanLocation): Promise<SamplesOfProfile[]> {
  return samplesAround(span, (request) => samplesInSpan(request, span));
}

/** The same for some spans of a trace that are of one service; each sample says in which it was taken. */
export async function samplesOfTrace(traceId: TraceId, spans: readonly SpanLocation[]): Promise<SamplesOfProfile[]> {
  const [first] = spans;
  if (!first) return [];
  const start = spans.reduce((least, it) => (it.start < least ? it.start : least), first.start);
  const end = spans.reduce((most, it) => (it.end > most ? it.end : most), first.end);
  return samplesAround({ service: first.service, start, end }, (request) => samplesInTrace(request, traceId));
}

async function samplesAround(
  { service, start, end }: Pick<SpanLocation, 'service' | 'start' | 'end'>,
  samplesIn: (request: TelemetryRequest) => SamplesOfProfile[],
): Promise<SamplesOfProfile[]> {
  const from = start - LONGEST_NS;
  const { rows } = await database().execute(sql`
    SELECT day, block_id::float8 AS id FROM profile
    WHERE day BETWEEN ${Math.max(0, dayOf(from))} AND ${dayOf(end)} AND service = ${service} AND linked > 0
      AND time_ns BETWEEN ${from} AND ${end} AND time_ns + duration_ns >= ${start}
    GROUP BY 1, 2 ORDER BY sum(linked) DESC, 2 LIMIT ${MOST_BLOCKS}`);
  const found: SamplesOfProfile[] = [];
  for (const [day, blocks] of group(rows as unknown as { day: number; id: number }[], (row) => row.day)) {
    const ids = blocks.map(({ id }) => id);
    for await (const { request } of blocksOf(profileBlock, day, ids)) found.push(...samplesIn(request));
  }
  return found;
}
