import type pg from 'pg';
import type { Attributes } from '../../src/core/trace/span.ts';
import type { StatementNames } from './statementNames.ts';

interface Row {
  readonly query_id: string;
  readonly user_id: number;
  readonly database: string;
  readonly calls: number;
  readonly total_ms: number;
  readonly rows: number;
  readonly hit: number;
  readonly read: number;
  readonly temporary: number;
  readonly read_ms: number;
}

const FIELDS = ['calls', 'total_ms', 'rows', 'hit', 'read', 'temporary', 'read_ms'] as const;
type Counters = Record<(typeof FIELDS)[number], number>;

/**
 * Counters of statements that only grow, from those of pg_stat_statements, which forget statements that are seldom called and begin anew when
 * they are reset. They count from when the collector started: whoever reads them takes differences, and a collector that starts again counts
 * nothing twice.
 */
export class StatementCounters {
  readonly #before = new Map<string, Counters>();
  readonly #sums = new Map<
    string,
    { readonly database: string; readonly id: string; readonly text: string; readonly counters: Counters }
  >();
  #isFirst = true;

  /** Takes a reading. @returns the counters of statements that were called since the last one, as attributes of `lantern.db.statement` */
  take(rows: readonly Row[], names: StatementNames, server: string): Attributes[] {
    const changed = new Set<string>();
    const seen = new Set<string>();
    for (const row of rows) {
      const key = `${row.query_id} ${row.user_id} ${row.database}`;
      seen.add(key);
      const former = this.#before.get(key);
      const now = Object.fromEntries(FIELDS.map((name) => [name, Number(row[name])])) as Counters;
      this.#before.set(key, now);
      const named = names.of(row.query_id, '');
      // What was there before the collector came was not seen by it.
      if (!named || (this.#isFirst && !former)) continue;
      const isAnew = !former || now.calls < former.calls;
      if (!isAnew && now.calls === former.calls) continue;
      const sumKey = `${row.database} ${named.id}`;
      const sum = this.#sums.get(sumKey) ?? { database: row.database, id: named.id, text: named.text, counters: zero() };
      this.#sums.set(sumKey, sum);
      for (const name of FIELDS) sum.counters[name] += Math.max(0, isAnew ? now[name] : now[name] - former[name]);
      changed.add(sumKey);
    }
    for (const key of this.#before.keys()) if (!seen.has(key)) this.#before.delete(key);
    const isFirst = this.#isFirst;
    this.#isFirst = false;
    if (isFirst) return [];
    return [...changed].map((key) => attributesOf(this.#sums.get(key)!, server));
  }
}

function zero(): Counters {
  return { calls: 0, total_ms: 0, rows: 0, hit: 0, read: 0, temporary: 0, read_ms: 0 };
}

function attributesOf(
  { database, id, text, counters }: { database: string; id: string; text: string; counters: Counters },
  server: string,
): Attributes {
  return {
    'db.system.name': 'postgresql',
    'server.address': server,
    'db.namespace': database,
    'lantern.db.statement_id': id,
    'db.query.text': text,
    'lantern.db.calls': counters.calls,
    'lantern.db.total_ms': counters.total_ms,
    'lantern.db.rows': counters.rows,
    'lantern.db.blocks_hit': counters.hit,
    'lantern.db.blocks_read': counters.read,
    'lantern.db.blocks_temporary': counters.temporary,
    'lantern.db.read_ms': counters.read_ms,
  };
}

/** Reads the counters, and the texts of statements that are new. Empty when the extension is not there. */
export async function readCounters(client: pg.Client, names: StatementNames, version: number): Promise<Row[]> {
  const readMs = version >= 170_000 ? 'shared_blk_read_time + local_blk_read_time' : 'blk_read_time';
  const { rows } =
    await client.query<Row>(`SELECT queryid::text AS query_id, userid AS user_id, coalesce(datname, '') AS database,
      calls, total_exec_time AS total_ms, rows, shared_blks_hit + local_blks_hit AS hit, shared_blks_read + local_blks_read AS read,
      temp_blks_written AS temporary, ${readMs} AS read_ms
    FROM pg_stat_statements(false) LEFT JOIN pg_database ON pg_database.oid = dbid WHERE queryid IS NOT NULL`);
  const unknown = [...new Set(rows.map(({ query_id }) => query_id))].filter((id) => !names.knows(id));
  if (unknown.length > 0) {
    const texts = await client.query<{ id: string; query: string }>(
      'SELECT queryid::text AS id, min(query) AS query FROM pg_stat_statements WHERE queryid::text = ANY($1) AND query IS NOT NULL GROUP BY 1',
      [unknown],
    );
    for (const { id, query } of texts.rows) names.learn(id, query);
  }
  return rows;
}
