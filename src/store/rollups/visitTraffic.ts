import { type SQL, sql } from 'drizzle-orm';
import { addCalls, type CallSum, noCalls, sumIn } from '../../core/measures/callSum.ts';
import { emptySketch } from '../../core/measures/sketch.ts';
import type { OverTime } from '../../core/topology/nodeFigures.ts';
import { nodeKey, type VisitorRequest, type VisitTraffic } from '../../core/topology/traffic.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { rememberedHours } from './rememberedHours.ts';
import { ALL_ENTRIES } from './rollups.ts';

const HOUR_NS = 3_600_000_000_000n;
const MINUTE_NS = 60_000_000_000n;

/** What visitors did that began a trace. */
const IS_REQUEST = sql`visit.kind = 'action' AND length(visit.trace_id) = 32`;

/** Whether requests are told apart by the service that they came to, or by its operation. */
type By = 'services' | 'operations';

/** Requests that visitors' browsers and devices made of services, by the trace that each began. Epoch nanoseconds, `to` exclusive. */
export async function visitTraffic(from: bigint, to: bigint, by: By = 'services'): Promise<VisitTraffic[]> {
  const firstHour = (from + HOUR_NS - 1n) / HOUR_NS;
  const endHour = to / HOUR_NS;
  if (endHour <= firstHour) return read(from, to, by);
  const [hours, ...edges] = await Promise.all([
    wholeHours(firstHour, endHour, by),
    read(from, firstHour * HOUR_NS, by),
    read(endHour * HOUR_NS, to, by),
  ]);
  return joined([...hours, ...edges].flat());
}

interface HourCount {
  readonly hour: number;
  readonly count: string;
}

async function wholeHours(first: bigint, end: bigint, by: By): Promise<VisitTraffic[][]> {
  const [from, to] = [first * HOUR_NS, end * HOUR_NS];
  const [visits, requests] = await Promise.all([
    database().execute(sql`SELECT (visit.time_ns / ${HOUR_NS})::int AS hour, count(*)::text AS count FROM visit
      WHERE ${between(from, to)} GROUP BY 1`),
    database().execute(sql`SELECT minute / 60 AS hour, sum(calls)::text AS count FROM operation_minute
      WHERE day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND key_id = ${ALL_ENTRIES}
        AND minute >= ${Number(first) * 60} AND minute < ${Number(end) * 60} GROUP BY 1`),
  ]);
  const requestsIn = new Map((requests.rows as unknown as HourCount[]).map(({ hour, count }) => [hour, count]));
  const hours = (visits.rows as unknown as HourCount[]).map(({ hour, count }) => ({
    hour,
    // The trace that a visit began may come after it.
    version: `${count} ${requestsIn.get(hour) ?? 0}`,
  }));
  const read = (from: number, to: number) => readHours(from, to, by);
  return rememberedHours(`visits by ${by}`, hours, read, () => []);
}

async function read(from: bigint, to: bigint, by: By): Promise<VisitTraffic[]> {
  if (to <= from) return [];
  return joined((await readRows(from, to, by)).map(({ traffic }) => traffic));
}

/** The requests of some hours that follow each other, by hour. */
async function readHours(first: number, end: number, by: By): Promise<Map<number, VisitTraffic[]>> {
  const hours = new Map<number, VisitTraffic[]>();
  for (const { hour, traffic } of await readRows(BigInt(first) * HOUR_NS, BigInt(end) * HOUR_NS, by))
    hours.set(hour, [...(hours.get(hour) ?? []), traffic]);
  return new Map([...hours].map(([hour, parts]) => [hour, joined(parts)]));
}

async function readRows(from: bigint, to: bigint, by: By): Promise<{ hour: number; traffic: VisitTraffic }[]> {
  const name = by === 'services' ? sql`NULL::text` : sql`operation.name`;
  const { rows } =
    await database().execute(sql`SELECT (visit.time_ns / ${HOUR_NS})::int AS hour, visit.service AS visitor, operation.service, ${name} AS operation, ${FIGURES}
    ${visitsIn(from, to)} GROUP BY 1, 2, 3, 4, bucket`);
  return (rows as unknown as (FiguresRow & { hour: number; visitor: string; service: string; operation: string | null })[]).map(
    ({ hour, visitor, service, operation, ...row }) => ({
      hour,
      traffic: { visitor, to: nodeKey({ service, operation: operation ?? undefined }), figures: figuresIn(row) },
    }),
  );
}

/** The requests of one kind of visitor over time, in stretches of `step` minutes. Epoch nanoseconds, `to` exclusive. */
export async function visitsOverTime(visitor: string, from: bigint, to: bigint, step: number): Promise<OverTime> {
  const { rows } = await database().execute(sql`
    SELECT (visit.time_ns / ${BigInt(step) * MINUTE_NS})::int AS stretch, ${FIGURES} ${visitsIn(from, to)} AND visit.service = ${visitor}
    GROUP BY stretch, bucket`);
  const stretches = new Map<number, CallSum>();
  for (const { stretch, ...row } of rows as unknown as (FiguresRow & { stretch: number })[])
    addCalls(sumIn(stretches, stretch), figuresIn(row));
  return stretches;
}

interface FiguresRow extends Omit<CallSum, 'sketch' | 'clientErrors'> {
  readonly bucket: number | null;
}

/** Figures of visits, apart for each bucket of the sketch of their durations. */
const FIGURES = sql`count(*)::int AS calls, count(*) FILTER (WHERE trace.root_failed)::int AS failures,
  coalesce(sum(visit.duration_ms * 1e6) FILTER (WHERE NOT trace.root_failed), 0)::float8 AS "okNs",
  coalesce(sum(visit.duration_ms * 1e6) FILTER (WHERE trace.root_failed), 0)::float8 AS "failedNs",
  (ceil(ln(greatest(visit.duration_ms * 1e6, 1)) / ln(2) * 16) - 1)::int AS bucket`;

function visitsIn(from: bigint, to: bigint): SQL {
  return sql`FROM visit JOIN trace ON trace.trace_id = decode(visit.trace_id, 'hex')
      JOIN operation ON operation.id = trace.root_operation_id
    WHERE ${between(from, to)} AND trace.day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1}`;
}

function figuresIn({ bucket, ...row }: FiguresRow): CallSum {
  const sketch = emptySketch();
  if (bucket !== null) sketch.buckets.set(bucket, row.calls);
  return { ...row, clientErrors: 0, sketch };
}

/** Events lie on the day of their own time. */
function between(from: bigint, to: bigint): SQL {
  return sql`visit.day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND visit.time_ns >= ${from} AND visit.time_ns < ${to}
    AND ${IS_REQUEST}`;
}

function joined(parts: readonly VisitTraffic[]): VisitTraffic[] {
  const known = new Map<string, VisitTraffic>();
  for (const { visitor, to, figures } of parts) {
    const key = `${visitor}\0${to}`;
    const it = known.get(key) ?? { visitor, to, figures: noCalls() };
    known.set(key, it);
    addCalls(it.figures, figures);
  }
  return [...known.values()];
}

/** The visitor's request that began each trace of a stretch of time, as far as one did; whether it failed its trace tells. */
export async function visitorRequests(
  from: bigint,
  to: bigint,
): Promise<Map<string, Pick<VisitorRequest, 'visitor' | 'durationNs' | 'clientError'>>> {
  const { rows } =
    await database().execute(sql`SELECT DISTINCT ON (visit.trace_id) visit.trace_id AS "traceId", visit.service AS visitor,
      coalesce(visit.duration_ms, 0)::float8 * 1e6 AS "durationNs" FROM visit
    WHERE visit.day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND ${IS_REQUEST}
      AND visit.time_ns BETWEEN ${from - HOUR_NS} AND ${to + HOUR_NS} ORDER BY visit.trace_id, visit.time_ns`);
  return new Map(
    (rows as unknown as (VisitorRequest & { traceId: string })[]).map(({ traceId, visitor, durationNs }) => [
      traceId,
      { visitor, durationNs, clientError: false },
    ]),
  );
}
