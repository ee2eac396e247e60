import { sql } from 'drizzle-orm';
import type { CheckStep } from '../../formats/events/checkStep.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** A run of a check. */
export interface CheckRun {
  readonly name: string;
  readonly kind: 'journey' | 'address';
  readonly place: string;
  readonly page: string;
  /** Epoch milliseconds. */
  readonly at: number;
  readonly ok: boolean;
  readonly durationMs: number;
  readonly error: string;
  readonly steps: readonly CheckStep[];
  readonly traceId: string;
  readonly hasPicture: boolean;
}

/** Runs that are read; of more, the latest. */
const MOST_RUNS = 20_000;

/** Runs of all checks in a stretch of time, the earliest first. Epoch nanoseconds, `to` exclusive. */
export async function checkRuns(from: bigint, to: bigint): Promise<CheckRun[]> {
  const { rows } = await database().execute(sql`
    SELECT name, kind, place, page, (time_ns / 1000000)::float8 AS at, ok, duration_ms AS "durationMs", error, steps, trace_id AS "traceId",
      picture <> '' AS "hasPicture"
    FROM check_run WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
    ORDER BY time_ns DESC LIMIT ${MOST_RUNS}`);
  return (rows as unknown as CheckRun[]).reverse();
}

/** What the browser showed in a run that failed: a JPEG as base64. */
export async function checkPicture(name: string, atMs: number): Promise<string | undefined> {
  const ns = BigInt(Math.round(atMs)) * 1_000_000n;
  const { rows } = await database().execute(sql`
    SELECT picture FROM check_run WHERE day = ${dayOf(ns)} AND time_ns >= ${ns} AND time_ns < ${ns + 1_000_000n} AND name = ${name} AND picture <> ''
    LIMIT 1`);
  return (rows[0] as { picture: string } | undefined)?.picture;
}
