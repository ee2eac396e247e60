import { copyFileSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { drizzle } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { Span, TraceId } from '../../../src/core/trace/span.ts';
import { knownSchema } from '../../../src/store/database/migrate.ts';
import { STORE_ROLE } from '../../../src/store/database/roles.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { logs } from '../../support/made/otlpSignals.ts';
import { makeSpans } from '../../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../../support/sending.ts';

/*
 * Data as the first schema held it, brought to the newest: what was stored under it is shown as if it had come today.
 */

const MIGRATIONS = 'src/store/migrations';
const OLD = 'first_schema';
const TRACES = 60;
const FROM_MS = Math.floor(Date.now() / 60_000) * 60_000 - 40 * 60_000;
const WINDOW = `from=${new Date(FROM_MS).toISOString()}&to=${new Date(FROM_MS + 30 * 60_000).toISOString()}`;

let dusk: Installation;
let before: Record<string, unknown>;
const clients: pg.Client[] = [];

beforeAll(async () => {
  dusk = await install();
  await sendSpans(dusk.url, Array.from({ length: TRACES }, (_, at) => requestAt(at)).flat());
  await sendJson(dusk.url, '/v1/logs', logs('holds', [{ atMs: FROM_MS + 60_000, text: 'hold of berth 7 placed', severity: 17 }]));
  before = await answers();
  await dusk.stopApplication();
  const admin = await client(dusk.cluster.adminUrl);
  await admin.query(`CREATE DATABASE ${OLD} OWNER ${STORE_ROLE}`);
  const current = await client(dusk.cluster.url);
  const old = await client(dusk.cluster.url.replace(/[^/]+$/, OLD));
  await migrateToFirst(old);
  await copyAll(current, old);
  await Promise.all(clients.map((it) => it.end()));
}, 900_000);
afterAll(() => dusk.stop());

async function client(connectionString: string): Promise<pg.Client> {
  const made = new pg.Client({ connectionString });
  clients.push(made);
  await made.connect();
  return made;
}

/** A request of four spans at two services, one in five of which fails. */
function requestAt(at: number): Span[] {
  const start = BigInt(FROM_MS + 30_000 * at) * 1_000_000n;
  const ms = (of: number) => of * 1_000_000;
  return makeSpans(
    {
      id: 1,
      from: 0,
      to: ms(80 + at),
      name: 'POST /holds',
      kind: 'server',
      attributes: { 'ferry.route': at % 3 ? 'tern' : 'marram' },
    },
    { id: 2, parent: 1, from: ms(5), to: ms(30), name: 'ask berths', kind: 'client', attributes: { 'server.address': 'berths' } },
    { id: 3, parent: 2, from: ms(6), to: ms(28), name: 'GET /berths', kind: 'server', service: 'berths', failed: at % 5 === 0 },
    {
      id: 4,
      parent: 3,
      from: ms(8),
      to: ms(20),
      name: 'SELECT berth',
      kind: 'client',
      service: 'berths',
      attributes: { 'db.system.name': 'postgresql', 'server.address': 'berth-db', 'booking.ref': `OR${at}` },
    },
  ).map((span) => ({
    ...span,
    traceId: (at + 1).toString(16).padStart(32, '0') as TraceId,
    start: start + (span.start % 1_000_000_000_000n) - (EPOCH_PART % 1_000_000_000_000n),
    end: start + (span.end % 1_000_000_000_000n) - (EPOCH_PART % 1_000_000_000_000n),
  }));
}
const EPOCH_PART = makeSpans({ id: 0, from: 0, to: 0 })[0].start;

/** Only the first migration, as the first application knew it. */
async function migrateToFirst(old: pg.Client): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), 'dusk-first-'));
  const journal = JSON.parse(readFileSync(join(MIGRATIONS, 'meta', '_journal.json'), 'utf8')) as { entries: { tag: string }[] };
  const [first] = journal.entries;
  mkdirSync(join(folder, 'meta'));
  writeFileSync(join(folder, 'meta', '_journal.json'), JSON.stringify({ ...journal, entries: [first] }));
  copyFileSync(join(MIGRATIONS, `${first.tag}.sql`), join(folder, `${first.tag}.sql`));
  await migrate(drizzle({ client: old }), { migrationsFolder: folder });
  rmSync(folder, { recursive: true });
}

/** Copies what both schemas have, days with their tables. */
async function copyAll(from: pg.Client, to: pg.Client): Promise<void> {
  const { rows: tables } = await to.query<{ name: string; parted: boolean; columns: string[] }>(
    `SELECT c.relname AS name, c.relkind = 'p' AS parted, array_agg(a.attname::text ORDER BY a.attnum) AS columns
       FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0
      WHERE n.nspname = 'public' AND c.relkind IN ('r', 'p') AND NOT a.attisdropped GROUP BY 1, 2`,
  );
  for (const { name, parted, columns } of tables) {
    const { rows: there } = await from.query<{ column: string }>(
      `SELECT column_name AS column FROM information_schema.columns WHERE table_schema = 'public' AND table_name = $1`,
      [name],
    );
    const both = columns.filter((column) => there.some((it) => it.column === column));
    if (there.length === 0) continue;
    const list = both.map((column) => `"${column}"`).join(', ');
    const { rows } = await from.query(
      `SELECT coalesce(json_agg(it), '[]')::text AS json FROM (SELECT ${list} FROM "${name}") AS it`,
    );
    if (parted)
      for (const { day } of (await from.query(`SELECT DISTINCT day FROM "${name}"`)).rows) {
        await to.query(`CREATE TABLE "${name}_${day}" (LIKE "${name}" INCLUDING ALL)`);
        await to.query(`ALTER TABLE "${name}" ATTACH PARTITION "${name}_${day}" FOR VALUES IN (${day})`);
      }
    await to.query(
      `INSERT INTO "${name}" (${list}) OVERRIDING SYSTEM VALUE SELECT ${list} FROM json_populate_recordset(null::"${name}", $1::json)`,
      [rows[0].json],
    );
    if (both.includes('id'))
      await to.query(`SELECT setval(pg_get_serial_sequence('"${name}"', 'id'), greatest(1, (SELECT max(id) FROM "${name}")))`);
  }
}

/** What an engineer sees of it. */
async function answers(): Promise<Record<string, unknown>> {
  const told: Record<string, unknown> = {};
  const ask = async (path: string) => getJson(dusk.url, path);
  const ids = ({ traces: found }: { traces: { traceId: string }[] }) => found.map(({ traceId }) => traceId).sort();
  const traces = `/api/traces?${WINDOW}`;
  told.spans = (await ask('/api/health')).spans;
  told.all = ids(await ask(traces));
  told.tern = ids(await ask(`${traces}&where=ferry.route+is+tern`));
  told.slow = ids(await ask(`${traces}&where=duration+over+100ms`));
  told.failing = ids(await ask(`${traces}&where=${encodeURIComponent('span where service is berths and failed')}`));
  told.booking = ids(await ask(`${traces}&where=booking.ref+is+OR7`));
  const { spans } = await ask(`/api/traces/${'1'.padStart(32, '0')}`);
  told.trace = spans;
  const { groups } = await ask(`/api/traces/groups?${WINDOW}&by=ferry.route`);
  told.groups = groups.map(({ value, lit }: { value: string; lit: { calls: number; totalNs: number } }) => [
    value,
    lit.calls,
    lit.totalNs,
  ]);
  const { edges } = await ask(`/api/map?${WINDOW}`);
  told.calls = edges
    .map(({ from, to, lit }: { from: string; to: string; lit: { calls: number } }) => [from, to, lit.calls])
    .sort();
  const { lines } = await ask(`/api/logs/lines?${WINDOW}`);
  told.lines = lines.map(({ text }: { text: string }) => text);
  return told;
}

it('what the first schema held is shown as it was, and more comes to it', async () => {
  expect(before.spans).toBe(4 * TRACES);
  expect(before.all).toHaveLength(TRACES);
  expect(before.tern).toHaveLength(40);
  expect(before.failing).toHaveLength(12);
  expect(before.booking).toHaveLength(1);
  expect(before.calls).toContainEqual(['holds', 'berths', TRACES]);
  expect(before.lines).toEqual(['hold of berth 7 placed']);

  await dusk.startApplication({ database: OLD });
  const url = dusk.cluster.url.replace(/[^/]+$/, OLD);
  const migrated = new pg.Client({ connectionString: url });
  await migrated.connect();
  const { rows } = await migrated.query('SELECT max(created_at)::float8 AS newest FROM drizzle.__drizzle_migrations');
  await migrated.end();
  expect(rows[0].newest).toBe(knownSchema(MIGRATIONS));
  // What was there is taken in again; until then it says so.
  await until(
    () => getJson(dusk.url, '/api/intake'),
    ({ aside }) => aside.blocks === 0,
  );
  expect(await answers()).toEqual(before);

  await sendSpans(
    dusk.url,
    requestAt(TRACES - 1).map((span) => ({ ...span, traceId: 'e'.repeat(32) as TraceId })),
  );
  expect((await getJson(dusk.url, `/api/traces?${WINDOW}`)).traces).toHaveLength(TRACES + 1);
});
