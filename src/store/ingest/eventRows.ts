import { getTableColumns, getTableName } from 'drizzle-orm';
import type { PgTable } from 'drizzle-orm/pg-core';
import type { DerivedEvent } from '../../formats/events/kinds.ts';
import { type Cell, type Copy, copyOf } from '../database/copyRows.ts';
import { stackId } from '../profiles/stackTexts.ts';
import {
  change,
  checkRun,
  dbPlan,
  dbStatement,
  hostProcesses,
  inFlight,
  inventory,
  objectEvent,
  visit,
} from '../schema/index.ts';
import type { ReadLog } from './logArrival.ts';

/** Sessions have blocks of their own, see `sessionBlocks`. */
type Table = Exclude<DerivedEvent['table'], 'dbSecond'>;

const TABLES: Readonly<Record<Table, PgTable>> = {
  dbStatement,
  dbPlan,
  inFlight,
  change,
  inventory,
  objectEvent,
  hostProcesses,
  visit,
  checkRun,
};

/** What events were derived into, for COPY: there may be as many of them as there are spans. */
export function eventRows(logs: readonly { head: ReadLog; day: number }[]): Copy[] {
  const rowsOf = new Map<Table, Record<string, unknown>[]>();
  for (const { head, day } of logs) {
    if (!head.event || head.event.table === 'dbSecond') continue;
    const rows = rowsOf.get(head.event.table) ?? [];
    rowsOf.set(head.event.table, rows);
    rows.push({ day, timeNs: head.time, service: head.service, instance: head.instance, ...stored(head.event) });
  }
  return [...rowsOf].map(([table, rows]) => {
    const columns = Object.entries(getTableColumns(TABLES[table]));
    return copyOf(
      getTableName(TABLES[table]),
      columns.map(([, { name }]) => name),
      rows.map((row) => columns.map(([key, { dataType }]) => cell(row[key], dataType))),
    );
  });
}

/** Stacks come again and again: a row has the id of its own. */
function stored(event: Exclude<DerivedEvent, { table: 'dbSecond' }>): Record<string, unknown> {
  return event.table === 'inFlight' ? { ...event.row, stack: stackId(event.row.stack), openSpan: false } : event.row;
}

function cell(value: unknown, dataType: string): Cell {
  if (value === undefined || value === null) return null;
  return dataType === 'json' ? JSON.stringify(value) : (value as Cell);
}
