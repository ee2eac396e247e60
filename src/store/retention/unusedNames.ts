import { and, lt, notInArray, type SQL, sql } from 'drizzle-orm';
import type { PgColumn, PgTable } from 'drizzle-orm/pg-core';
import { SIGNALS } from '../../formats/otlp/wire/messages.ts';
import { database } from '../database/connection.ts';
import {
  BLOCK_TABLES,
  call,
  callEdge,
  facet,
  incident,
  instance,
  logKind,
  operation,
  profile,
  resource,
  series,
  stackText,
  statementText,
  watched,
} from '../schema/index.ts';
import { today } from './days.ts';

const DAY_MS = 86_400_000;
/** Who found a name just before midnight may write what rests on it the day after. */
const MARGIN_DAYS = 1;

interface Names {
  readonly table: PgTable & { readonly seen: PgColumn };
  /** What else has to hold: that no other name rests on it, and no incident. */
  readonly unless?: () => SQL;
}

/** The series that moved in incidents: an incident is shown long after its records were dropped. As `seriesKeyOf` writes them. */
const OF_INCIDENTS = sql`(SELECT shift->>'series' FROM ${incident}, jsonb_array_elements(${incident.shifts}) AS shift)`;

/** Names that rest on others go before them. */
const NAMES: readonly Names[] = [
  { table: operation, unless: () => notInArray(sql`'operation:' || ${operation.id}`, OF_INCIDENTS) },
  { table: callEdge },
  { table: call, unless: () => notInArray(call.id, database().select({ id: callEdge.callId }).from(callEdge)) },
  { table: instance },
  { table: series },
  {
    table: resource,
    unless: () =>
      and(
        notInArray(resource.id, database().select({ id: series.resourceId }).from(series)),
        notInArray(resource.id, database().select({ id: profile.resourceId }).from(profile)),
      )!,
  },
  { table: logKind },
  { table: facet },
  { table: watched, unless: () => notInArray(sql`${watched.kind} || ':' || ${watched.id}`, OF_INCIDENTS) },
  { table: statementText },
  { table: stackText },
];

/**
 * Forgets the names on which nothing rests that is still kept: operations, peers, series, values of attributes, texts of statements and the
 * like that were last seen on a day of which no record is left. What senders make up does not grow beyond what they sent within retention.
 *
 * @returns how many
 */
export async function forgetUnusedNames(): Promise<number> {
  const before = (await oldestArrivalDay()) - MARGIN_DAYS;
  let forgotten = 0;
  for (const { table, unless } of NAMES) {
    const { rowCount } = await database()
      .delete(table)
      .where(and(lt(table.seen, before), unless?.()));
    forgotten += rowCount ?? 0;
  }
  return forgotten;
}

/** The day on which the oldest of what is kept came; today when nothing is. */
async function oldestArrivalDay(): Promise<number> {
  let oldest = today();
  for (const signal of SIGNALS) {
    const [row] = await database()
      .select({ at: sql<Date | string | null>`min(${BLOCK_TABLES[signal].arrived})` })
      .from(BLOCK_TABLES[signal]);
    if (row.at !== null) oldest = Math.min(oldest, Math.floor(new Date(row.at).getTime() / DAY_MS));
  }
  return oldest;
}
