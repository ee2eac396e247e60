import { drizzle } from 'drizzle-orm/node-postgres';
import type { PgTable } from 'drizzle-orm/pg-core';
import type pg from 'pg';
import type { DerivedEvent } from '../formats/events/kinds.ts';
import type { ReadLog } from './logArrival.ts';
import { change, dbPlan, dbSample, dbStatement, inFlight, inventory, visit } from './schema/index.ts';

const TABLES: Readonly<Record<DerivedEvent['table'], PgTable>> = {
  dbSample,
  dbStatement,
  dbPlan,
  inFlight,
  change,
  inventory,
  visit,
};
/** Rows a statement, well under the protocol's 65 535 parameters. */
const CHUNK = 1000;

/** Writes what events were derived into. */
export async function insertEvents(client: pg.PoolClient, logs: readonly { head: ReadLog; day: number }[]): Promise<void> {
  const rowsOf = new Map<DerivedEvent['table'], object[]>();
  for (const { head, day } of logs) {
    if (!head.event) continue;
    const rows = rowsOf.get(head.event.table) ?? [];
    rowsOf.set(head.event.table, rows);
    rows.push({ day, timeNs: head.time, service: head.service, ...head.event.row });
  }
  const db = drizzle({ client });
  for (const [table, rows] of rowsOf)
    for (let from = 0; from < rows.length; from += CHUNK)
      await db.insert(TABLES[table]).values(rows.slice(from, from + CHUNK) as never);
}
