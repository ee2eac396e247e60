import { readFileSync } from 'node:fs';
import { cpus, freemem, totalmem } from 'node:os';
import type pg from 'pg';
import type { Increments } from '../sending/increments.ts';

/** A measure of the server: gauges as they are, counts since the last reading. */
export interface Measured {
  readonly name: string;
  readonly unit: string;
  readonly kind: 'gauge' | 'count';
  readonly value: number;
  readonly attributes: Readonly<Record<string, string>>;
}

/** Tables and indexes that are reported, those that are read most. */
const MOST_OBJECTS = 50;

interface Total {
  readonly commits: number;
  readonly rollbacks: number;
  readonly hit: number;
  readonly read: number;
  readonly temporary: number;
  readonly deadlocks: number;
  readonly sessions: number;
}

/** What the server counts of itself, by the minute. */
export async function serverMeasures(client: pg.Client, version: number, increments: Increments): Promise<Measured[]> {
  const measures: Measured[] = [];
  const gauge = (name: string, unit: string, value: number, attributes = {}) =>
    measures.push({ name, unit, kind: 'gauge', value, attributes });
  const count = (name: string, unit: string, total: number, attributes: Record<string, string> = {}) => {
    const value = increments.since(`${name} ${Object.values(attributes).join(' ')}`, total);
    if (value !== undefined) measures.push({ name, unit, kind: 'count', value, attributes });
  };
  const { rows } = await client.query<Total>(`SELECT sum(xact_commit)::float8 AS commits, sum(xact_rollback)::float8 AS rollbacks,
    sum(blks_hit)::float8 AS hit, sum(blks_read)::float8 AS read, sum(temp_bytes)::float8 AS temporary, sum(deadlocks)::float8 AS deadlocks,
    sum(numbackends)::float8 AS sessions FROM pg_stat_database`);
  const [total] = rows;
  count('db.server.commits', '{transaction}', total.commits);
  count('db.server.rollbacks', '{transaction}', total.rollbacks);
  count('db.server.blocks.hit', '{block}', total.hit);
  count('db.server.blocks.read', '{block}', total.read);
  count('db.server.temporary', 'By', total.temporary);
  count('db.server.deadlocks', '{deadlock}', total.deadlocks);
  gauge('db.server.sessions', '{session}', total.sessions);
  const oldest = await client.query<{ age: number | null }>(
    'SELECT extract(epoch FROM max(clock_timestamp() - xact_start))::float8 AS age FROM pg_stat_activity WHERE pid <> pg_backend_pid()',
  );
  gauge('db.server.transaction.oldest', 's', oldest.rows[0].age ?? 0);
  const checkpoints = await client.query<{ made: number; written: number }>(
    version >= 170_000
      ? 'SELECT (num_timed + num_requested)::float8 AS made, buffers_written::float8 AS written FROM pg_stat_checkpointer'
      : 'SELECT (checkpoints_timed + checkpoints_req)::float8 AS made, buffers_checkpoint::float8 AS written FROM pg_stat_bgwriter',
  );
  count('db.server.checkpoints', '{checkpoint}', checkpoints.rows[0].made);
  count('db.server.checkpoint.blocks', '{block}', checkpoints.rows[0].written);
  const lag = await client.query<{ replica: string; bytes: number }>(
    'SELECT application_name AS replica, pg_wal_lsn_diff(sent_lsn, replay_lsn)::float8 AS bytes FROM pg_stat_replication WHERE replay_lsn IS NOT NULL',
  );
  for (const { replica, bytes } of lag.rows) gauge('db.server.replication.lag', 'By', bytes, { 'db.replica': replica });
  const tables = await client.query<{
    name: string;
    scans: number;
    scanned: number;
    dead: number;
    live: number;
    changed: number;
  }>(
    `SELECT relname AS name, seq_scan::float8 AS scans, seq_tup_read::float8 AS scanned, n_dead_tup::float8 AS dead, n_live_tup::float8 AS live,
      (n_tup_ins + n_tup_upd + n_tup_del)::float8 AS changed FROM pg_stat_user_tables ORDER BY seq_tup_read + coalesce(idx_tup_fetch, 0) DESC LIMIT ${MOST_OBJECTS}`,
  );
  for (const { name, scans, scanned, dead, live, changed } of tables.rows) {
    const of = { 'db.collection.name': name };
    count('db.table.scans', '{scan}', scans, of);
    count('db.table.rows.scanned', '{row}', scanned, of);
    count('db.table.rows.changed', '{row}', changed, of);
    gauge('db.table.rows.dead', '{row}', dead, of);
    gauge('db.table.rows', '{row}', live, of);
  }
  const indexes = await client.query<{ table: string; name: string; unique: boolean; scans: number; bytes: number }>(
    `SELECT relname AS "table", indexrelname AS name, indisunique AS "unique", idx_scan::float8 AS scans,
      pg_relation_size(indexrelid)::float8 AS bytes
      FROM pg_stat_user_indexes JOIN pg_index USING (indexrelid) ORDER BY pg_relation_size(indexrelid) DESC LIMIT ${MOST_OBJECTS}`,
  );
  for (const { table, name, unique, scans, bytes } of indexes.rows) {
    const of = { 'db.collection.name': table, 'db.index.name': name, 'db.index.unique': String(unique) };
    count('db.index.scans', '{scan}', scans, of);
    gauge('db.index.size', 'By', bytes, of);
  }
  return measures;
}

/** What the machine does, when the server runs on this one. */
export function machineMeasures(increments: Increments): Measured[] {
  const times = cpus().map(({ times: of }) => of);
  const all = times.reduce((sum, of) => sum + of.user + of.nice + of.sys + of.irq + of.idle, 0);
  const idle = times.reduce((sum, of) => sum + of.idle, 0);
  const [passed, rested] = [increments.since('cpu all', all), increments.since('cpu idle', idle)];
  const of = (name: string, unit: string, value: number, kind: Measured['kind'] = 'gauge'): Measured => ({
    name,
    unit,
    kind,
    value,
    attributes: {},
  });
  const measures = [of('system.memory.utilization', '1', 1 - freemem() / totalmem())];
  if (passed && rested !== undefined) measures.push(of('system.cpu.utilization', '1', 1 - rested / passed));
  const disk = diskSectors();
  const moved = disk === undefined ? undefined : increments.since('disk', disk);
  if (moved !== undefined) measures.push(of('system.disk.io', 'By', moved * 512, 'count'));
  return measures;
}

/** Sectors that whole disks have read and written; undefined where the system does not say. */
function diskSectors(): number | undefined {
  try {
    return readFileSync('/proc/diskstats', 'utf8')
      .split('\n')
      .map((line) => line.trim().split(/\s+/))
      .filter(([, , name]) => /^(sd[a-z]+|vd[a-z]+|nvme\d+n\d+)$/.test(name ?? ''))
      .reduce((sum, fields) => sum + Number(fields[5]) + Number(fields[9]), 0);
  } catch {
    return undefined;
  }
}

/** Settings of the server, by name. */
export async function readSettings(client: pg.Client): Promise<Map<string, string>> {
  const { rows } = await client.query<{ name: string; value: string }>(
    `SELECT name, setting || coalesce(unit, '') AS value FROM pg_settings WHERE source NOT IN ('client', 'session')`,
  );
  return new Map(rows.map(({ name, value }) => [name, value]));
}

/** What changed from one reading to the next: "work_mem 4096kB → 65536kB". */
export function settingChanges(before: ReadonlyMap<string, string>, now: ReadonlyMap<string, string>): string[] {
  return [...now].flatMap(([name, value]) => {
    const former = before.get(name);
    return former !== undefined && former !== value ? [`${name} ${former} → ${value}`] : [];
  });
}
