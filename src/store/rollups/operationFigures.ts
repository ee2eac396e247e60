import { and, between, gt, gte, lt, sql } from 'drizzle-orm';
import { emptySketch, type Sketch } from '../../core/measures/sketch.ts';
import { SketchTable } from '../../core/measures/sketchTable.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { operation, operationMinute } from '../schema/index.ts';
import { daysOfMinutes } from './daysOfMinutes.ts';
import { addFigures, addToTable, type FiguresRow, JOINED, SUMS } from './mergedSketches.ts';
import { rememberedSteps, versionsOfCalls } from './rememberedSteps.ts';
import { ALL_ENTRIES, minuteOf } from './rollups.ts';

/** How often something was called in a stretch of time, how often it failed, and how long it took. */
export interface CallFigures {
  calls: number;
  failures: number;
  /** Total duration of those that went well, and of those that failed. */
  okNs: number;
  failedNs: number;
  readonly sketch: Sketch;
}

export interface OperationFigures extends CallFigures {
  readonly operationId: number;
  readonly service: string;
  readonly name: string;
  readonly kind: number;
}

/** Sums of a stretch of time. */
export interface StretchFigures extends Omit<CallFigures, 'sketch'> {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  /** Below these lie the shares that were asked for, nanoseconds. */
  readonly quantilesNs: readonly (number | null)[];
}

const none = (): CallFigures => ({ calls: 0, failures: 0, okNs: 0, failedNs: 0, sketch: emptySketch() });

/** The rollups of whole minutes: a window counts from the minute that it begins in to the one it ends in. */
function inWindow(from: bigint, to: bigint) {
  // Spans lie on the day of their trace, which may be the day before or after.
  return and(
    between(operationMinute.day, Math.max(1, dayOf(from) - 1), dayOf(to) + 1),
    gte(operationMinute.minute, minuteOf(from)),
    lt(operationMinute.minute, minuteOf(to - 1n) + 1),
  );
}

/** Their sums, as `SUMS` but for client errors. */
const COLUMNS = {
  calls: sql<number>`sum(${operationMinute.calls})::float8`,
  failures: sql<number>`sum(${operationMinute.failures})::float8`,
  okNs: sql<number>`sum(${operationMinute.okNs})::float8`,
  failedNs: sql<number>`sum(${operationMinute.failedNs})::float8`,
  sketches: sql<Buffer>`${sql.raw(JOINED)}`,
} as const;

/** Every operation that was called in a stretch of time, in no order. @param from epoch nanoseconds, inclusive @param to exclusive */
export async function operationFigures(from: bigint, to: bigint): Promise<OperationFigures[]> {
  const rows = await database()
    .select({ keyId: operationMinute.keyId, ...COLUMNS })
    .from(operationMinute)
    .where(and(inWindow(from, to), gt(operationMinute.keyId, ALL_ENTRIES)))
    .groupBy(operationMinute.keyId);
  const byId = summed(rows);
  const operations = byId.size === 0 ? [] : await database().select().from(operation);
  return operations.flatMap(({ id, service, name, kind }) => {
    const figures = byId.get(id);
    return figures ? [{ operationId: id, service, name, kind, ...figures }] : [];
  });
}

const table = new SketchTable();

/**
 * One operation over time, or all entries of requests, in stretches of so many minutes; those without a call left out.
 *
 * @param which an operation's id; or `entries`, for all spans without a parent @param shares quantiles that are asked for, ascending
 */
export function figuresOverTime(
  which: number | 'entries',
  from: bigint,
  to: bigint,
  stepMinutes: number,
  shares: readonly number[],
): Promise<StretchFigures[]> {
  const keyId = which === 'entries' ? ALL_ENTRIES : which;
  const end = minuteOf(to - 1n) + 1;
  return rememberedSteps(
    `figures ${keyId} ${shares.join()}`,
    versionsOfCalls(keyId),
    minuteOf(from),
    end,
    stepMinutes,
    (from, to) => readSteps(keyId, from, to, stepMinutes, shares),
  );
}

/** @param first minutes since 1970-01-01 @param end exclusive */
async function readSteps(
  keyId: number,
  first: number,
  end: number,
  stepMinutes: number,
  shares: readonly number[],
): Promise<StretchFigures[]> {
  // Rows as they come: to have a thousand of them turned into what the columns are would take as long as to read them.
  const { rows } =
    await database().execute(sql`SELECT minute / ${sql.raw(String(stepMinutes))} AS step, ${SUMS} FROM ${operationMinute}
    WHERE ${daysOfMinutes(first, end)} AND minute >= ${first} AND minute < ${end} AND key_id = ${keyId} GROUP BY 1 ORDER BY 1`);
  return (rows as unknown as (FiguresRow & { step: number })[]).map(({ step, calls, failures, okNs, failedNs, sketches }) => {
    table.clear();
    addToTable(table, sketches);
    return { at: step * stepMinutes * 60_000, calls, failures, okNs, failedNs, quantilesNs: table.quantiles(shares) };
  });
}

/** All requests of a stretch of time by their entry operation's id. Producers and consumers of messages are entries, too. */
export async function entryFiguresByMinute(from: bigint, to: bigint): Promise<Map<number, CallFigures>> {
  const rows = await database()
    .select({ keyId: operationMinute.keyId, ...COLUMNS })
    .from(operationMinute)
    .where(and(inWindow(from, to), gt(operationMinute.keyId, ALL_ENTRIES), operationMinute.entry))
    .groupBy(operationMinute.keyId);
  return summed(rows);
}

/** How often each operation was called in a stretch of time, and how often it failed: without durations, which take longest to add up. */
export async function operationCounts(from: bigint, to: bigint): Promise<Map<number, { calls: number; failures: number }>> {
  const rows = await database()
    .select({ keyId: operationMinute.keyId, calls: COLUMNS.calls, failures: COLUMNS.failures })
    .from(operationMinute)
    .where(and(inWindow(from, to), gt(operationMinute.keyId, ALL_ENTRIES)))
    .groupBy(operationMinute.keyId);
  return new Map(rows.map(({ keyId, ...counts }) => [keyId, counts]));
}

function summed(rows: readonly (FiguresRow & { readonly keyId: number })[]): Map<number, CallFigures> {
  const byId = new Map<number, CallFigures>();
  for (const row of rows) {
    let known = byId.get(row.keyId);
    if (!known) {
      known = none();
      byId.set(row.keyId, known);
    }
    addFigures(known, row);
  }
  return byId;
}
