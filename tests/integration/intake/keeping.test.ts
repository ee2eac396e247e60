import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { gzipSync } from 'node:zlib';
import pg from 'pg';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { emptySketch, mergeEncoded, quantiles } from '../../../src/core/measures/sketch.ts';
import type { TraceId } from '../../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../../src/formats/otlp/span/encodeProtobuf.ts';
import { closeConnections } from '../../../src/store/database/connection.ts';
import { STORE_ROLE } from '../../../src/store/database/roles.ts';
import { prepareDays, today } from '../../../src/store/retention/days.ts';
import { dropOldHours, spareBytes, usedBytes } from '../../../src/store/retention/hours.ts';
import { dropOldDays, readDroppedDays } from '../../../src/store/retention/retention.ts';
import { storeBytes } from '../../../src/store/retention/storage.ts';
import { forgetUnusedNames } from '../../../src/store/retention/unusedNames.ts';
import { mergeMinutes } from '../../../src/store/rollups/mergeMinutes.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { logs, metricsOfEachKind } from '../../support/made/otlpSignals.ts';
import { makeSpans } from '../../support/made/traceMaker.ts';
import { getJson, PROTOBUF, post, sendJson, sendSpans } from '../../support/sending.ts';

const DAY = 86_400_000;
const ALL_DAYS = { traces: 7, logs: 7, metrics: 7, profiles: 7 };
const GIB = 1024 ** 3;

let dusk: Installation;
let client: pg.Client;
beforeEach(async () => {
  dusk = await install();
  process.env.DATABASE_URL = dusk.cluster.url;
  client = new pg.Client({ connectionString: dusk.cluster.url });
  client.on('error', () => {});
  await client.connect();
});
afterEach(async () => {
  await client.end().catch(() => {});
  await closeConnections();
  await dusk.stop();
});

const rows = async (query: string) => (await client.query(query)).rows;
let next = 1;
const spanAt = (ms: number, durationMs = 5) => {
  const [made] = makeSpans({ id: 0, from: 0, to: 5 });
  const start = BigInt(Math.floor(ms)) * 1_000_000n;
  return {
    ...made,
    traceId: (next++).toString(16).padStart(32, '0') as typeof made.traceId,
    start,
    end: start + BigInt(durationMs) * 1_000_000n,
  };
};

describe('days', () => {
  it('that are too old are dropped, counted from when they came if that was later, and told of', async () => {
    const now = Date.now();
    await sendSpans(dusk.url, [spanAt(now), spanAt(now - 10 * DAY), spanAt(now - 20 * DAY)]);
    await sendJson(dusk.url, '/v1/logs', logs('holds', [{ atMs: now - 10 * DAY, text: 'old' }]));
    // They came just now: brought in from long ago, they stay as long as if they were new.
    expect(await dropOldDays({ days: ALL_DAYS, mostBytes: 20 * GIB })).toEqual([]);
    await client.query(`UPDATE span_block SET arrived = arrived - interval '8 days' WHERE day = ${today() - 10}`);
    // The application keeps house too: whichever of the two comes first drops the day, once.
    await dropOldDays({ days: ALL_DAYS, mostBytes: 20 * GIB });
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(2);
    expect((await getJson(dusk.url, '/api/traces')).total).toBe(2);
    expect((await readDroppedDays()).map(({ signal, day, reason, records }) => [signal, today() - day, reason, records])).toEqual(
      [['traces', 10, 'age', 1]],
    );
    const { dropped: told } = await getJson(dusk.url, '/api/intake');
    expect(told).toHaveLength(1);
    // What comes for a day that was dropped finds a place again.
    await sendSpans(dusk.url, [spanAt(now - 10 * DAY)]);
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(3);
  });

  it('that get records while they are about to go as empty ones stay', async () => {
    const day = today() - 10;
    await sendSpans(dusk.url, [spanAt(Date.now() - 10 * DAY)]);
    await dusk.stopApplication();
    await client.query(`CREATE TABLE aside AS SELECT * FROM span_block WHERE day = ${day}`);
    await client.query(`DELETE FROM span_block WHERE day = ${day}`);
    await client.query('BEGIN');
    await client.query('INSERT INTO span_block SELECT * FROM aside');
    const dropping = dropOldDays({ days: ALL_DAYS, mostBytes: 20 * GIB });
    const waiting = async () =>
      (await rows(`SELECT 1 FROM pg_locks WHERE NOT granted AND relation = 'span_block'::regclass`)).length;
    await until(waiting, (many) => many === 1, 2);
    await client.query('COMMIT');
    expect(await dropping).toEqual([]);
    expect(await rows(`SELECT records FROM span_block WHERE day = ${day}`)).toEqual([{ records: 1 }]);
    // Nobody is told of a day that held nothing.
    await client.query(`DELETE FROM span_block WHERE day = ${day}`);
    expect((await dropOldDays({ days: ALL_DAYS, mostBytes: 20 * GIB })).map((it) => it.records)).toEqual([0]);
    expect(await readDroppedDays()).toEqual([]);
  });

  it('that take too much room go oldest first, today never', async () => {
    const now = Date.now();
    for (const age of [3, 2, 1, 0]) await sendSpans(dusk.url, [spanAt(now - age * DAY)]);
    await client.query(`UPDATE span_block SET arrived = now() - (${today()} - day) * interval '1 day'`);
    const dropped = await dropOldDays({ days: ALL_DAYS, mostBytes: 1 });
    expect(dropped.map(({ day }) => today() - day)).toEqual([3, 2, 1]);
    expect((await readDroppedDays()).every(({ reason }) => reason === 'size')).toBe(true);
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(1);
  });

  it('that are gone take along the names that only they had, and those that come again are known anew', async () => {
    const NAMES = ['operation', 'call', 'call_edge', 'instance', 'resource', 'series', 'log_kind', 'facet', 'watched'];
    const count = async () =>
      Object.fromEntries(
        await Promise.all(NAMES.map(async (table) => [table, (await rows(`SELECT count(*)::int AS n FROM ${table}`))[0].n])),
      ) as Record<string, number>;
    const ageAll = (days: number) =>
      Promise.all(NAMES.map((table) => client.query(`UPDATE ${table} SET seen = ${today() - days}`)));
    const now = Date.now();
    const request = makeSpans(
      { id: 1, from: 0, to: 40, kind: 'server', attributes: { 'ferry.route': 'north' } },
      {
        id: 2,
        parent: 1,
        from: 5,
        to: 30,
        kind: 'client',
        attributes: { 'db.system.name': 'postgresql', 'db.namespace': 'berths' },
      },
      { id: 3, parent: 1, from: 31, to: 35, kind: 'client', attributes: { 'server.address': 'tidewatch' } },
      { id: 4, parent: 3, from: 32, to: 34, kind: 'server', service: 'tidewatch' },
    );
    await sendSpans(dusk.url, request);
    await sendJson(dusk.url, '/v1/metrics', metricsOfEachKind('holds', now));
    await sendJson(dusk.url, '/v1/logs', logs('holds', [{ atMs: now, text: 'kept' }]));
    const full = await count();
    for (const table of ['operation', 'call', 'instance', 'resource', 'series', 'log_kind', 'facet'])
      expect(full[table], table).toBeGreaterThan(0);
    // Not used for long, but what came then is still there.
    await ageAll(5);
    await Promise.all(
      ['span_block', 'log_block', 'metric_block'].map((table) =>
        client.query(`UPDATE ${table} SET arrived = arrived - interval '6 days'`),
      ),
    );
    expect(await forgetUnusedNames()).toBe(0);
    expect(await count()).toEqual(full);
    // A process that did not know them uses one of the operations, and no peer.
    const [again] = request;
    await dusk.stopApplication();
    await dusk.startApplication();
    await sendSpans(dusk.url, [{ ...again, traceId: 'f'.repeat(32) as typeof again.traceId }]);
    expect(await rows(`SELECT name FROM operation WHERE seen = ${today()}`)).toEqual([{ name: again.name }]);
    // What was there before is dropped, but not what an incident refers to.
    const [told] = await rows(`SELECT id FROM operation WHERE name = '${request[3].name}' AND service = 'tidewatch'`);
    await client.query(
      `INSERT INTO incident (source, rule_id, first_minute, last_minute, found_minute, shifts) VALUES ('shift', '', 1, 2, 2, $1)`,
      [JSON.stringify([{ series: `operation:${told.id}` }])],
    );
    await dusk.stopApplication();
    for (const table of ['span_block', 'log_block', 'metric_block'])
      await client.query(`DELETE FROM ${table} WHERE arrived < now() - interval '2 days'`);
    expect(await forgetUnusedNames()).toBeGreaterThan(10);
    const left = await count();
    expect(left).toMatchObject({ operation: 2, call: 0, call_edge: 0, series: 0, log_kind: 0 });
    expect(left.facet).toBeLessThan(full.facet);
    await dusk.startApplication();
    await sendSpans(
      dusk.url,
      request.map((it) => ({ ...it, traceId: 'e'.repeat(32) as typeof again.traceId })),
    );
    expect((await count()).operation).toBe(full.operation);
  });

  it('to come have their tables before anything comes', async () => {
    await prepareDays();
    for (const day of [today(), today() + 1])
      expect(
        await rows(`SELECT to_regclass('span_block_${day}') IS NOT NULL AND to_regclass('visit_${day}') IS NOT NULL AS there`),
      ).toEqual([{ there: true }]);
  });

  it('of a trace that runs over midnight are one, whichever part comes first', async () => {
    const midnight = (today() - 1) * DAY;
    const [root, late, later] = makeSpans(
      { id: 0, from: 0, to: 9 },
      { id: 1, parent: 0, from: 1, to: 2 },
      { id: 2, parent: 0, from: 2, to: 3 },
    );
    const at = (span: typeof root, ms: number) => ({
      ...span,
      start: BigInt(midnight + ms) * 1_000_000n,
      end: BigInt(midnight + ms + 100) * 1_000_000n,
    });
    const spans = [at(later, 900), at(root, -500), at(late, 300)];
    for (const span of spans) await sendSpans(dusk.url, [span]);
    const { traces, total } = await getJson(dusk.url, '/api/traces');
    expect([total, traces[0].spanCount]).toEqual([1, 3]);
    expect((await getJson(dusk.url, `/api/traces/${root.traceId}`)).spans).toHaveLength(3);
  });

  it('of traces that run over midnight are one, when their parts come at once', async () => {
    const midnight = BigInt((today() - 1) * DAY) * 1_000_000n;
    const ids = Array.from({ length: 30 }, (_, at) => (at + 1).toString(16).padStart(32, '5') as TraceId);
    const parts = [-400, 200, 600, -100, 900, 1300];
    const spanOf = (traceId: TraceId, ms: number, id: number) => {
      const [span] = makeSpans({ id, parent: id === 0 ? undefined : 0, from: 0, to: 1 });
      const start = midnight + BigInt(ms) * 1_000_000n;
      return { ...span, traceId, start, end: start + 50_000_000n };
    };
    // Each part of all traces is a request; and once more in the company of another, as a sender does that was not answered.
    const requests = parts.map((ms, id) => ids.map((traceId) => spanOf(traceId, ms, id)));
    const again = requests.map((part, at) => [...part, ...requests[(at + 1) % requests.length]]);
    await Promise.all([...requests, ...again].map((spans) => sendSpans(dusk.url, spans)));
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(ids.length * parts.length);
    for (const traceId of ids) expect((await getJson(dusk.url, `/api/traces/${traceId}`)).spans).toHaveLength(parts.length);
    const own = `trace_id IN (${ids.map((id) => `'\\x${id}'`).join(', ')})`;
    expect(await rows(`SELECT count(*)::int AS rows, sum(span_count)::int AS spans FROM trace WHERE ${own}`)).toEqual([
      { rows: ids.length, spans: ids.length * parts.length },
    ]);
    expect(await rows('SELECT sum(calls)::int AS calls FROM operation_minute WHERE key_id > 0')).toEqual([
      { calls: ids.length * parts.length },
    ]);
    expect(await rows('SELECT sum(records)::int AS records FROM span_block')).toEqual([{ records: ids.length * parts.length }]);
  });
});

describe('a day that goes on', () => {
  /** Yesterday at 23:30, so that there is always a day before it. */
  const day = today() - 1;
  const evening = (day + 1) * DAY - 30 * 60_000;
  const now = BigInt(evening) * 1_000_000n;
  const at = (hour: number) => day * DAY + hour * 3_600_000 + 600_000;
  const noisy = (hour: number) =>
    Array.from({ length: 1_500 }, (_, place) => ({
      ...spanAt(at(hour) + place * 1_000),
      attributes: { noise: crypto.randomUUID() + crypto.randomUUID() + crypto.randomUUID() },
    }));
  const hoursKept = async () =>
    (await rows(`SELECT DISTINCT (start_ns / 3600000000000 % 24)::int AS hour FROM trace ORDER BY 1`)).map(({ hour }) => hour);

  it('gives its oldest hours when there is no room, keeps what they counted, and its room is taken by what comes', async () => {
    for (const hour of [2, 3, 4, 5, 23]) await sendSpans(dusk.url, noisy(hour));
    for (const hour of [2, 5]) await sendJson(dusk.url, '/v1/logs', logs('holds', [{ atMs: at(hour), text: 'a line' }]));
    const [full, calls] = [await storeBytes(), 'SELECT sum(calls)::int AS calls FROM operation_minute WHERE key_id > 0'];
    expect(await dropOldHours(full, now)).toEqual([]);
    const [{ bytes: hour }] = await rows(
      `SELECT (pg_total_relation_size('span_block_${day}') + pg_total_relation_size('trace_${day}'))::int / 5 AS bytes`,
    );
    const dropped = await dropOldHours(full - hour * 1.5, now);
    const until = (it: number) => BigInt(day * 24 + it) * 3_600_000_000_000n;
    expect(dropped.map((it) => [it.signal, it.records, it.until])).toEqual([
      ['traces', 1_500, until(3)],
      ['logs', 1, until(3)],
      ['traces', 1_500, until(4)],
    ]);
    expect(await hoursKept()).toEqual([4, 5, 23]);
    expect(await rows(calls)).toEqual([{ calls: 7_500 }]);
    // The files are as large as before; what comes finds room in them.
    const used = await usedBytes(day);
    expect(used).toBeLessThanOrEqual(full - hour * 1.5);
    expect(await spareBytes(day)).toBeGreaterThan(hour);
    const size = `SELECT pg_total_relation_size('span_block_${day}')::int AS bytes`;
    const [before] = await rows(size);
    await sendSpans(dusk.url, noisy(22));
    const [after] = await rows(size);
    expect(after.bytes - before.bytes).toBeLessThan(before.bytes * 0.05);
    await rows(`ANALYZE span_block_${day}; ANALYZE trace_${day}`);
    expect(await usedBytes(day)).toBeGreaterThan(used + hour * 0.4);
    const { dropped: told } = await getJson(dusk.url, '/api/intake');
    expect(told[0]).toMatchObject({ reason: 'size', until: new Date(day * DAY + 4 * 3_600_000).toISOString() });
    expect(told.reduce((sum: number, it: { bytes: number }) => sum + it.bytes, 0)).toBeGreaterThan(hour);
  });

  it('keeps the hour that runs, however little room there is', async () => {
    for (const hour of [5, 23]) await sendSpans(dusk.url, noisy(hour));
    const dropped = await dropOldHours(1, now);
    expect(dropped.map(({ records }) => records)).toEqual([1_500]);
    expect(await hoursKept()).toEqual([23]);
  });
});

describe('tallies', () => {
  it('of closed minutes are brought together, and say the same as before', async () => {
    const minute = Math.floor(Date.now() / 60_000) * 60_000 - 20 * 60_000;
    const durations = Array.from({ length: 40 }, (_, at) => 3 + at * 7);
    for (const ms of durations) await sendSpans(dusk.url, [spanAt(minute + ms, ms)]);
    const sum = 'SELECT sum(calls)::int AS calls, sum(ok_ns)::text AS ok FROM operation_minute WHERE key_id > 0';
    expect(await rows(sum)).toEqual([{ calls: 40, ok: String(durations.reduce((a, b) => a + b, 0) * 1_000_000) }]);
    await mergeMinutes(() => true);
    const [{ sketch, ...joined }] = await rows(
      'SELECT calls::int AS calls, ok_ns::text AS ok, sketch FROM operation_minute WHERE key_id > 0',
    );
    expect(joined).toEqual({ calls: 40, ok: String(durations.reduce((a, b) => a + b, 0) * 1_000_000) });
    const merged = emptySketch();
    mergeEncoded(merged, sketch);
    expect(Math.abs(quantiles(merged, [0.5])[0]! / (durations[19] * 1e6) - 1)).toBeLessThan(0.022);
  });
});

describe('under pressure', () => {
  it('what is too much is told to come again, the memory stays in bounds, and in the end all is there', async () => {
    const spans = Array.from({ length: 6000 }, (_, at) => ({
      ...spanAt(Date.now() - at),
      attributes: { text: 'x'.repeat(900) },
    }));
    const plain = encodeTracesProtobuf(spans);
    expect(plain.length).toBeGreaterThan(5 * 2 ** 20);
    const none: Record<string, string> = {};
    const outcomes = { taken: 0, later: 0 };
    const bodies = Array.from({ length: 16 }, (_, at) => {
      const copy = Buffer.from(plain);
      // Another trace id for each span of each body: the same bytes would be known again.
      for (let pos = 0; pos + 18 < copy.length; pos++)
        if (copy[pos] === 10 && copy[pos + 1] === 16 && copy[pos + 18] === 18 && copy[pos + 19] === 8)
          copy.writeUInt16BE(at + 1, pos + 2);
      return at % 2 === 0
        ? { body: copy, headers: none }
        : { body: gzipSync(copy, { level: 1 }), headers: { 'content-encoding': 'gzip' } };
    });
    let most = 0;
    const look = setInterval(() => {
      const found = spawnSync('ps', ['-o', 'rss=', '-p', String(dusk.application.pid)], { encoding: 'utf8' });
      most = Math.max(most, Number(found.stdout) * 1024);
    }, 100);
    await Promise.all(
      bodies.map(async ({ body, headers }) => {
        await until(
          async () => {
            const answer = await post(dusk.url, body, PROTOBUF, headers);
            if (answer.status === 200) return true;
            expect([answer.status, Number(answer.headers.get('retry-after')) > 0]).toEqual([503, true]);
            outcomes.later++;
            return false;
          },
          (done) => done,
          120,
        );
        outcomes.taken++;
      }),
    );
    clearInterval(look);
    expect(outcomes.taken).toBe(bodies.length);
    expect(outcomes.later).toBeGreaterThan(0);
    expect(most).toBeLessThan(600 * 2 ** 20);
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(bodies.length * spans.length);
  }, 600_000);
});

describe('when PostgreSQL', () => {
  const send = (spans: ReturnType<typeof spanAt>[]) => post(dusk.url, encodeTracesProtobuf(spans), PROTOBUF);

  it('loses the connection that writes, nothing is lost and nothing there twice', async () => {
    const spans = Array.from({ length: 160 }, () => spanAt(Date.now()));
    let killed = 0;
    // The gap grows with each refusal: however slow a machine is, one of them is wide enough for a batch to be written.
    let gapMs = 40;
    const tested = new AbortController();
    const killing = (async () => {
      while (!tested.signal.aborted) {
        const { rowCount } = await client.query(
          `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'dusk-lantern' AND pid <> pg_backend_pid()`,
        );
        killed += rowCount ?? 0;
        await sleep(gapMs);
      }
    })();
    try {
      for (let from = 0; from < spans.length; from += 10) {
        const part = spans.slice(from, from + 10);
        await until(
          async () => {
            const { status } = await send(part);
            gapMs = status === 200 ? 40 : gapMs * 1.2;
            return status;
          },
          (status) => status === 200,
          120,
        );
      }
    } finally {
      tested.abort();
      await killing;
    }
    expect(killed).toBeGreaterThan(0);
    await expectCounts(160);
  });

  // Only root may make a small disk.
  it.skipIf(process.getuid?.() !== 0)(
    'has no more room, senders are told to come again, and what was acknowledged stays',
    async () => {
      const room = join('/tmp', `dusk-room-${process.pid}`);
      mkdirSync(room);
      expect(spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=24m', 'tmpfs', room]).status).toBe(0);
      spawnSync('chown', ['postgres', room]);
      const admin = new pg.Client({ connectionString: dusk.cluster.adminUrl });
      await admin.connect();
      try {
        await admin.query(`CREATE TABLESPACE small LOCATION '${room}'`);
        await admin.query(`CREATE DATABASE small OWNER ${STORE_ROLE} TABLESPACE small`);
        await dusk.stopApplication();
        await dusk.startApplication({ database: 'small' });
        let acknowledged = 0;
        let refused = 0;
        for (let batch = 0; batch < 400 && refused < 3; batch++) {
          const spans = Array.from({ length: 400 }, () => ({
            ...spanAt(Date.now()),
            attributes: { noise: crypto.randomUUID() + crypto.randomUUID() },
          }));
          const { status } = await send(spans);
          if (status === 200) acknowledged += spans.length;
          else {
            expect(status).toBe(503);
            refused++;
          }
        }
        expect(refused).toBe(3);
        expect((await getJson(dusk.url, '/api/health')).spans).toBe(acknowledged);
      } finally {
        await dusk.stopApplication();
        await admin.query('DROP DATABASE IF EXISTS small (FORCE)').catch(() => {});
        await dusk.startApplication();
        await admin.query('DROP TABLESPACE IF EXISTS small').catch(() => {});
        await admin.end();
        spawnSync('umount', [room]);
        spawnSync('rmdir', [room]);
      }
    },
  );

  async function expectCounts(spans: number): Promise<void> {
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(spans);
    expect(await rows('SELECT sum(calls)::int AS calls FROM operation_minute WHERE key_id > 0')).toEqual([{ calls: spans }]);
    expect(await rows('SELECT sum(span_count)::int AS spans FROM trace')).toEqual([{ spans }]);
  }
});
