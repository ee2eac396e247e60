import { sql } from 'drizzle-orm';
import { readStackText } from '../../core/profile/readStackText.ts';
import type { Frame } from '../../core/profile/stackSample.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { type OpenRequest, withOpenRequests } from './openRunning.ts';
import { stackTexts } from './stackTexts.ts';

/** What a service reported of a request that it worked on. */
export interface RunningRow extends OpenRequest {
  readonly state: 'running' | 'ended';
  readonly outcome: string;
  readonly look: string;
  readonly thread: string;
  readonly statement: string;
  /** The innermost first. */
  readonly frames: readonly Frame[];
}

type StoredRow = Omit<RunningRow, 'frames'> & { readonly stack: string };

const FIELDS =
  sql.raw(`(time_ns / 1000000)::float8 AS at, service, instance, trace_id AS "traceId", span_id AS "spanId", operation, step,
  age_ms AS "ageMs", state, outcome, wait, look, thread, statement, stack`);

/** The id of a trace as it is stored, of one that was reported; null of a report that names none. */
const traceIdOf = (rows: 'recent' | 'seen') =>
  sql.raw(`CASE WHEN ${rows}.trace_id ~ '^[0-9a-f]{32}$' THEN decode(${rows}.trace_id, 'hex') END`);

/** A service reports what runs this often at least; what is older is not "now". */
const FRESH_NS = 30_000_000_000n;
const MOST_RUNNING = 2_000;
/** Looks at one request that are read. */
const MOST_LOOKS = 400;
/** How far back looks at what runs are read. */
const LOOK_BACK_NS = 1_800_000_000_000n;

/**
 * Requests that run at a moment (epoch nanoseconds), the oldest first: those in the last report of each process, as long as no trace tells that they
 * have ended, and those with a span that has no end yet. Each comes with what was seen of it before.
 */
export async function runningAt(moment: bigint): Promise<{ rows: RunningRow[]; history: RunningRow[] }> {
  const from = moment - FRESH_NS;
  const { rows } = await database().execute(sql`
    WITH recent AS (
      SELECT *, max(time_ns) FILTER (WHERE look = '') OVER (PARTITION BY service, instance) AS last,
        row_number() OVER (PARTITION BY service, instance, trace_id ORDER BY time_ns DESC) AS nth
      FROM in_flight WHERE day BETWEEN ${dayOf(from)} AND ${dayOf(moment)} AND time_ns >= ${from} AND time_ns < ${moment}
        AND NOT open_span
    )
    SELECT ${FIELDS} FROM recent WHERE nth = 1 AND state = 'running' AND time_ns >= coalesce(last, 0)
      AND NOT EXISTS (
        SELECT FROM trace WHERE trace.trace_id = ${traceIdOf('recent')} AND trace.day BETWEEN ${dayOf(from) - 1} AND ${dayOf(moment)}
          AND root_found AND start_ns + duration_ns <= ${moment}
      )
    ORDER BY age_ms DESC LIMIT ${MOST_RUNNING}`);
  const reported = await withFrames(rows as unknown as StoredRow[]);
  const running = await withOpenRequests(reported, moment, (open): RunningRow => ({ ...NOTHING_TOLD, ...open }));
  const ids = [...new Set(reported.map(({ traceId }) => traceId))];
  const history = ids.length === 0 ? [] : await looksAtTraces(ids, moment - LOOK_BACK_NS, moment);
  return { rows: running.sort((a, b) => b.ageMs - a.ageMs), history };
}

/** What is known only from reports, not from an open span. */
const NOTHING_TOLD = { state: 'running', outcome: '', look: '', thread: '', statement: '', frames: [] } as const;

async function looksAtTraces(traceIds: readonly string[], from: bigint, to: bigint): Promise<RunningRow[]> {
  const { rows } = await database().execute(sql`
    SELECT ${FIELDS} FROM in_flight WHERE day BETWEEN ${dayOf(from)} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
      AND trace_id = ANY(${`{${traceIds.join(',')}}`}::text[]) ORDER BY time_ns DESC LIMIT ${40 * MOST_RUNNING}`);
  return withFrames((rows as unknown as StoredRow[]).reverse());
}

/** All that was seen of one request, in order of time. @param to epoch nanoseconds */
export async function looksAtTrace(traceId: string, to: bigint): Promise<RunningRow[]> {
  const { rows } = await database().execute(sql`
    SELECT ${FIELDS} FROM in_flight WHERE trace_id = ${traceId} AND time_ns < ${to} ORDER BY time_ns DESC LIMIT ${MOST_LOOKS}`);
  return withFrames((rows as unknown as StoredRow[]).reverse());
}

/** What its services told a short while ago of a trace that runs, the oldest first; nothing of what has ended. Ages are of now. */
export async function runningOfTrace(traceId: string): Promise<{ service: string; operation: string; ageMs: number }[]> {
  const now = BigInt(Date.now()) * 1_000_000n;
  const { rows } = await database().execute(sql`
    SELECT DISTINCT ON (service, instance) service, operation, state,
      age_ms + (${now}::bigint - time_ns) / 1e6::float8 AS "ageMs"
    FROM in_flight WHERE trace_id = ${traceId} AND NOT open_span AND time_ns >= ${now - FRESH_NS} AND time_ns < ${now}
    ORDER BY service, instance, time_ns DESC`);
  const reported = (rows as unknown as { service: string; operation: string; state: string; ageMs: number }[])
    .filter(({ state }) => state === 'running')
    .map(({ state: _, ...it }) => ({ ...it, traceId }));
  const all = await withOpenRequests(
    reported,
    now,
    ({ service, operation, ageMs }) => ({ service, operation, ageMs, traceId }),
    traceId,
  );
  return all.map(({ traceId: _, ...it }) => it).sort((a, b) => b.ageMs - a.ageMs);
}

async function withFrames(rows: readonly StoredRow[]): Promise<RunningRow[]> {
  const texts = await stackTexts(rows.map(({ stack }) => stack));
  const read = new Map([...texts].map(([id, text]) => [id, readStackText(text)]));
  return rows.map(({ stack, ...row }) => ({ ...row, frames: read.get(stack) ?? [] }));
}

/** A request that ran a short while ago and is not reported any more. */
export interface EndedRow {
  /** When it was reported last, epoch milliseconds. */
  readonly at: number;
  readonly traceId: string;
  readonly service: string;
  readonly operation: string;
  readonly ageMs: number;
  /** Whether its first span has come, and how it went; null as long as it has not. */
  readonly failed: boolean | null;
  /** Of the whole request, milliseconds. */
  readonly durationMs: number | null;
}

const MOST_ENDED = 8;
/** Shorter ones end all the time. */
const LEAST_ENDED_MS = 1_000;

/** Requests that ran in the last minutes before a moment and have ended, the last first. */
export async function endedBefore(moment: bigint, running: ReadonlySet<string>): Promise<EndedRow[]> {
  const from = moment - 4n * FRESH_NS;
  const { rows } = await database().execute(sql`
    WITH seen AS (
      SELECT DISTINCT ON (trace_id) trace_id, time_ns, service, operation, age_ms FROM in_flight
      WHERE day BETWEEN ${dayOf(from)} AND ${dayOf(moment)} AND time_ns >= ${from} AND time_ns < ${moment - 10_000_000_000n}
        AND age_ms >= ${LEAST_ENDED_MS}
        AND NOT trace_id = ANY(${`{${[...running].join(',')}}`}::text[])
      ORDER BY trace_id, time_ns DESC, age_ms DESC
    )
    SELECT (seen.time_ns / 1000000)::float8 AS at, seen.trace_id AS "traceId", service, operation, age_ms AS "ageMs",
      CASE WHEN trace.root_found THEN trace.root_failed END AS failed,
      CASE WHEN trace.root_found THEN (trace.duration_ns / 1e6)::float8 END AS "durationMs"
    FROM seen LEFT JOIN trace ON trace.trace_id = ${traceIdOf('seen')}
      AND trace.day BETWEEN ${dayOf(from) - 1} AND ${dayOf(moment) + 1}
    WHERE seen.trace_id ~ '^[0-9a-f]{32}$'
    ORDER BY seen.time_ns DESC LIMIT ${MOST_ENDED}`);
  return rows as unknown as EndedRow[];
}

/** How many requests ran at a moment, by what they waited for. */
export interface RunningCount {
  /** Epoch milliseconds at which the step begins. */
  readonly at: number;
  readonly wait: string;
  /** In the mean of the reports within the step. */
  readonly count: number;
}

/**
 * Requests that ran over time. Of a request that several services report, the one that began last counts: it is where the request stands.
 *
 * @param from, to epoch nanoseconds
 */
export async function runningOverTime(from: bigint, to: bigint, stepMs: number): Promise<RunningCount[]> {
  const step = BigInt(stepMs) * 1_000_000n;
  const { rows } = await database().execute(sql`
    WITH seen AS (
      SELECT DISTINCT ON (report, trace_id) (time_ns / 10000000000) AS report, trace_id, wait, time_ns
      FROM in_flight WHERE day BETWEEN ${dayOf(from)} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
        AND look = '' AND state = 'running'
      ORDER BY report, trace_id, age_ms
    ), steps AS (
      SELECT (time_ns / ${step}::bigint) AS step, wait, count(*)::float8 AS seen FROM seen GROUP BY 1, 2
    )
    SELECT (step * ${stepMs}::bigint)::float8 AS at, wait, seen / ${Math.max(1, stepMs / 10_000)} AS count FROM steps ORDER BY 1, 2`);
  return rows as unknown as RunningCount[];
}
