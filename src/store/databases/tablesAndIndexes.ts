import { sql } from 'drizzle-orm';
import type { IndexFacts, TableFacts } from '../../core/database/indexAdvice.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** Tables and indexes of a server that are told apart, at most. */
const MOST = 1_000;
const MINUTE_NS = 60_000_000_000n;

function ofServer(server: string, like: string) {
  return sql`FROM series JOIN resource ON resource.id = series.resource_id JOIN metric_point AS point ON point.series_id = series.id
    WHERE series.name LIKE ${like} AND (resource.attributes->>'server.address' = ${server} OR series.attributes->>'server.address' = ${server})`;
}

function within(from: bigint, to: bigint) {
  return sql`AND point.day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND point.time_ns >= ${from} AND point.time_ns < ${to}`;
}

/** What a server counted of its tables in a stretch of time (epoch nanoseconds, `to` exclusive), by name. */
export async function tableFacts(server: string, from: bigint, to: bigint): Promise<Map<string, TableFacts>> {
  const { rows } = await database().execute(sql`SELECT series.attributes->>'db.collection.name' AS name,
      (array_agg(point.value ORDER BY point.time_ns DESC) FILTER (WHERE series.name = 'db.table.rows'))[1] AS rows,
      sum(point.value) FILTER (WHERE series.name = 'db.table.rows.changed') AS changed
    ${ofServer(server, 'db.table.%')} ${within(from, to)} GROUP BY 1 ORDER BY 1 LIMIT ${MOST}`);
  const minutes = Math.max(1, Number((to - from) / MINUTE_NS));
  return new Map(
    (rows as unknown as { name: string | null; rows: number | null; changed: number | null }[]).flatMap((it) =>
      it.name === null ? [] : [[it.name, { rows: it.rows, changedPerMinute: it.changed === null ? null : it.changed / minutes }]],
    ),
  );
}

/** What a server counted of its indexes in a stretch of time. */
export async function indexFacts(server: string, from: bigint, to: bigint): Promise<IndexFacts[]> {
  const { rows } =
    await database().execute(sql`SELECT series.attributes->>'db.collection.name' AS "table", series.attributes->>'db.index.name' AS name,
      max(series.attributes->>'db.index.unique') AS "unique",
      sum(point.value) FILTER (WHERE series.name = 'db.index.scans') AS scans,
      (array_agg(point.value ORDER BY point.time_ns DESC) FILTER (WHERE series.name = 'db.index.size'))[1] AS bytes,
      ((max(point.time_ns) - min(point.time_ns)) / 1000000)::float8 AS "observedMs"
    ${ofServer(server, 'db.index.%')} ${within(from, to)} GROUP BY 1, 2 ORDER BY 1, 2 LIMIT ${MOST}`);
  return (
    rows as unknown as {
      table: string | null;
      name: string | null;
      unique: string | null;
      scans: number | null;
      bytes: number | null;
      observedMs: number;
    }[]
  ).flatMap(({ table, name, unique, scans, bytes, observedMs }) =>
    // One that was sized and never counted says nothing of its use.
    name === null || scans === null
      ? []
      : [{ table: table ?? '', name, unique: unique === null ? null : unique === 'true', scans, bytes: bytes ?? 0, observedMs }],
  );
}
