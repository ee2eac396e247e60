import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { type DayOptions, stretchesOf } from '../../../demo/day.ts';
import { Run } from '../../../demo/run.ts';
import type { Output } from '../../../demo/telemetry/output.ts';
import { type Cluster, removeCluster, startCluster } from '../../../src/server/postgres/cluster.ts';
import { dataFolder } from '../installation.ts';

/** A day of the company as plain rows in a PostgreSQL of its own. Times are minutes before the end of the day, durations milliseconds. */
export interface DayTables {
  /** The one row that a query gives. */
  readonly row: (sql: string) => Promise<Record<string, number>>;
  readonly rows: <Row>(sql: string) => Promise<Row[]>;
  readonly stop: () => Promise<void>;
}

const TABLES = {
  span: `trace text, id text, parent text, service text, name text, kind text, before float8, ms float8, failed bool, status int, error text,
    instance text, version text, vehicle text, channel text, route text, days_ahead int, crew_size int, age_ms float8, deliveries int, linked text`,
  log: 'service text, before float8, severity int, trace text, body text, version text',
  sample:
    'server text, before float8, session text, state text, wait_class text, statement text, program text, blockers int, blocker text, trace text',
  counter: 'server text, before float8, statement text, calls float8, total_ms float8, read float8',
  plan: 'server text, before float8, statement text, plan text, node text',
  change: 'before float8, kind text, title text',
  visit:
    'before float8, session text, app text, version text, kind text, page text, name text, ms float8, device text, effect text, trace text',
  point: 'name text, of text, mode text, before float8, value float8',
  pod: 'before float8, name text, restarts int',
} as const;
type Table = keyof typeof TABLES;
type Cell = string | number | boolean | null | undefined;

export async function loadDay(options: DayOptions): Promise<DayTables> {
  const folder = dataFolder();
  const cluster: Cluster = await startCluster(folder);
  const client = new pg.Client({ connectionString: cluster.url });
  await client.connect();
  for (const [name, columns] of Object.entries(TABLES)) await client.query(`CREATE UNLOGGED TABLE ${name} (${columns})`);
  const lines = new Map<Table, string[]>();
  const output = rowsOf(options.endMs, (table, cells) => {
    const of = lines.get(table) ?? [];
    lines.set(table, of);
    of.push(`${cells.map(text).join('\t')}\n`);
  });
  const { recent, earlier } = stretchesOf(options);
  for (const stretch of [earlier, recent]) {
    if (!stretch) continue;
    const run = new Run(stretch, output);
    for (let at = stretch.fromMs; at < stretch.untilMs!; ) {
      at = Math.min(at + 30 * 60_000, stretch.untilMs!);
      run.advance(at);
      // One long write instead of one for each row.
      for (const [table, of] of lines)
        await pipeline(Readable.from([of.splice(0).join('')]), client.query(copyFrom(`COPY ${table} FROM STDIN`)));
    }
  }
  await client.query('CREATE INDEX ON span (name); CREATE INDEX ON span (trace); ANALYZE');
  const rows = async <Row>(sql: string) => (await client.query(sql)).rows as Row[];
  return {
    rows,
    row: async (sql) =>
      Object.fromEntries(Object.entries((await rows<object>(sql))[0]).map(([key, value]) => [key, Number(value)])),
    stop: async () => {
      await client.end();
      await cluster.stop();
      removeCluster(folder);
    },
  };
}

const SPECIAL = /[\\\t\n\r]/;
const EACH_SPECIAL = /[\\\t\n\r]/g;

function text(cell: Cell): string {
  if (cell === null || cell === undefined) return '\\N';
  // A day has tens of millions of cells, hardly one of which has anything special in it.
  if (typeof cell !== 'string') return String(cell);
  return SPECIAL.test(cell)
    ? cell.replace(EACH_SPECIAL, (char) => ({ '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' })[char]!)
    : cell;
}

function rowsOf(endMs: number, put: (table: Table, cells: readonly Cell[]) => void): Output {
  const before = (ns: bigint) => (endMs - Number(ns / 1000n) / 1000) / 60_000;
  const plain = (value: unknown) => (typeof value === 'object' ? null : (value as Cell));
  const devices = new Map<string, Cell>();
  return {
    span: (it) => {
      const a = it.attributes;
      const { 'service.instance.id': instance, 'service.version': version } = it.resource;
      const ms = Number(it.end - it.start) / 1e6;
      const own = [a['ferry.vehicle_class'], a['ferry.channel'], a['ferry.route'], a['search.days_ahead'], a['crew.size']];
      const message = [a['messaging.message.age_ms'], a['messaging.message.deliveries'], it.links[0]?.traceId];
      const status = a['http.response.status_code'];
      const about = [
        it.service,
        it.name,
        it.kind,
        before(it.start),
        ms,
        it.status === 'error',
        status,
        a['error.type'],
        instance,
        version,
      ];
      put('span', [it.traceId, it.spanId, it.parentSpanId, ...about, ...own, ...message].map(plain));
    },
    log: ({ resource, time, severity, traceId, body, event, attributes: a }) => {
      const at = before(time);
      const service = String(resource['service.name']);
      const version = plain(resource['service.version']);
      const server = plain(a['server.address']);
      const statement = plain(a['lantern.db.statement_id']);
      const detail = (a['lantern.visit.detail'] ?? a['lantern.object.detail'] ?? {}) as Record<string, Cell>;
      if (!event) put('log', [service, at, severity, traceId, String(body), version]);
      else if (event === 'lantern.db.second') {
        for (const it of a['lantern.db.sessions'] as readonly Record<string, Cell & readonly string[]>[]) {
          const blockers: readonly string[] = it.blocked_by ?? [];
          const trace = String(it.traceparent ?? '').split('-')[1];
          const who = [it.session, it.state, it.wait_class ?? '', it.statement_id, it.program].map(plain);
          put('sample', [server, at, ...who, blockers.length, blockers[0], trace ?? null]);
        }
      } else if (event === 'lantern.db.statement') {
        put('counter', [
          server,
          at,
          statement,
          ...['lantern.db.calls', 'lantern.db.total_ms', 'lantern.db.blocks_read'].map((key) => plain(a[key])),
        ]);
      } else if (event === 'lantern.db.plan') {
        const plan = String(a['lantern.db.plan']);
        put('plan', [server, at, statement, plain(a['lantern.db.plan_id']), /"Node Type":"(\w+ Scan)"/.exec(plan)?.[1]]);
      } else if (event === 'lantern.change')
        put('change', [at, plain(a['lantern.change.kind']), plain(a['lantern.change.title'])]);
      else if (event === 'lantern.visit') {
        const what = ['lantern.visit.kind', 'url.path', 'lantern.visit.name', 'lantern.visit.duration_ms'].map((key) =>
          plain(a[key]),
        );
        // What holds of the whole visit is told once.
        const session = plain(a['session.id']) as string;
        const about = a['lantern.visit.about'] as Record<string, Cell> | undefined;
        if (about) devices.set(session, about.device);
        put('visit', [at, session, service, version, ...what, devices.get(session), detail.effect, plain(a['lantern.trace_id'])]);
      } else if (event === 'lantern.inventory' && a['lantern.object.kind'] === 'pod')
        put('pod', [at, plain(a['lantern.object.name']), detail.restarts]);
    },
    point: ({ name, resource, attributes: a, time, value }) => {
      const of =
        resource['service.instance.id'] ??
        resource['host.name'] ??
        resource['server.address'] ??
        a['messaging.destination.name'] ??
        a['cache.name'];
      if (value.kind === 'histogram') put('point', [`${name}.sum`, plain(of), null, before(time), value.sum]);
      else put('point', [name, plain(of), plain(a['cpu.mode'] ?? a.generation), before(time), value.number]);
    },
    profile: () => {},
  };
}
