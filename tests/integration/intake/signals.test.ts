import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Installation, install, until } from '../../support/installation.ts';
import { event, logs, metricsOfEachKind, profiles, second } from '../../support/made/otlpSignals.ts';
import { getJson, sendJson } from '../../support/sending.ts';

// At the beginning of a minute: a minute later is the next one, whenever the test runs.
const AT = (Math.floor(Date.now() / 60_000) - 10) * 60_000;
const TRACE = '0af7651916cd43dd8448eb211c80319c';

let dusk: Installation;
let client: pg.Client;
beforeAll(async () => {
  dusk = await install();
  client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await dusk.stop();
});

const rows = async (query: string) => (await client.query(query)).rows;
const exported = async (signal: string, query = '') => {
  const text = await (await fetch(`${dusk.url}/api/export/${signal}${query}`)).text();
  return text
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line));
};

describe('logs', () => {
  const sent = logs('holds', [
    { atMs: AT, text: 'hold placed', traceId: TRACE },
    { atMs: AT + 1, text: 'no room on lane 4', severity: 17, traceId: TRACE },
    { atMs: AT + 2, body: { kvlistValue: { values: [{ key: 'deck', value: { intValue: '9007199254740993' } }] } } },
    { atMs: AT + 61_000, body: { bytesValue: 'AQID' }, severity: 17 },
    { atMs: AT + 61_001, body: { doubleValue: 'NaN' } },
  ]);

  it('are kept word for word, bodies of any type', async () => {
    expect(await sendJson(dusk.url, '/v1/logs', sent)).toEqual({});
    expect(await exported('logs')).toEqual([sent]);
  });

  it('are counted by the minute, and known by their trace', async () => {
    expect(
      await rows(`SELECT k.service, k.severity, m.minute - ${Math.floor(AT / 60_000)} AS minute, sum(records)::int AS records,
        sum(with_trace)::int AS with_trace FROM log_minute m JOIN log_kind k ON k.id = m.key_id GROUP BY 1, 2, 3 ORDER BY 3, 2`),
    ).toEqual([
      { service: 'holds', severity: 9, minute: 0, records: 2, with_trace: 1 },
      { service: 'holds', severity: 17, minute: 0, records: 1, with_trace: 1 },
      { service: 'holds', severity: 9, minute: 1, records: 1, with_trace: 0 },
      { service: 'holds', severity: 17, minute: 1, records: 1, with_trace: 0 },
    ]);
    expect(await rows(`SELECT encode(trace_id, 'hex') AS id, records FROM log_trace`)).toEqual([{ id: TRACE, records: 2 }]);
  });

  it('come out of a window alone', async () => {
    const from = new Date(AT + 1).toISOString();
    const to = new Date(AT + 60_000).toISOString();
    const [{ resourceLogs }] = await exported('logs', `?from=${from}&to=${to}`);
    expect(resourceLogs[0].scopeLogs[0].logRecords).toHaveLength(2);
  });

  it('without any time are refused, each by itself', async () => {
    const body = logs('holds', [
      { atMs: 0, text: 'when?' },
      { atMs: AT + 3, text: 'now' },
    ]);
    expect(await sendJson(dusk.url, '/v1/logs', body)).toEqual({
      partialSuccess: { rejectedLogRecords: '1', errorMessage: '1 × neither a time nor an observed time is set' },
    });
  });
});

describe('metrics', () => {
  const sent = metricsOfEachKind('berths', AT);

  it('of each kind are kept word for word', async () => {
    expect(await sendJson(dusk.url, '/v1/metrics', sent)).toEqual({});
    expect(await exported('metrics')).toEqual([sent]);
  });

  it('lie under their series, number by number', async () => {
    const found =
      await rows(`SELECT s.name, s.type, s.temporality, s.monotonic, s.attributes, p.value, p.count::int AS count, p.point IS NOT NULL AS whole,
      p.time_ns::text AS time FROM metric_point p JOIN series s ON s.id = p.series_id ORDER BY s.name`);
    const time = `${AT}000000`;
    const base = { monotonic: false, attributes: {}, time };
    expect(found).toEqual([
      { ...base, name: 'db.client.operation.duration', type: 'exponential', temporality: 2, value: 2.5, count: 5, whole: true },
      { ...base, name: 'gc.pause', type: 'summary', temporality: 0, value: 90, count: 9, whole: true },
      { ...base, name: 'holds.made', type: 'sum', temporality: 1, monotonic: true, value: -3, count: null, whole: false },
      {
        ...base,
        name: 'http.server.request.duration',
        type: 'histogram',
        temporality: 1,
        attributes: { route: '/holds' },
        value: 1.5,
        count: 6,
        whole: true,
      },
      {
        ...base,
        name: 'pool.in_use',
        type: 'gauge',
        temporality: 0,
        attributes: { pool: 'berths' },
        value: 17,
        count: null,
        whole: false,
      },
      { ...base, name: 'process.cpu.time', type: 'sum', temporality: 2, monotonic: true, value: 12.5, count: null, whole: true },
    ]);
  });

  it('come under the same series the next time', async () => {
    const before = await rows('SELECT count(*)::int AS count FROM series');
    await sendJson(dusk.url, '/v1/metrics', metricsOfEachKind('berths', AT + 60_000));
    expect(await rows('SELECT count(*)::int AS count FROM series')).toEqual(before);
    expect(await rows('SELECT count(*)::int AS count FROM metric_point')).toEqual([{ count: 12 }]);
  });
});

describe('profiles', () => {
  it('are kept word for word, with the tables they lean on', async () => {
    const sent = profiles('layout', AT);
    expect(await sendJson(dusk.url, '/v1development/profiles', sent)).toEqual({});
    expect(await exported('profiles')).toEqual([sent]);
    expect(
      await rows('SELECT service, type, unit, samples, total::int AS total, linked, duration_ns::text AS duration FROM profile'),
    ).toEqual([
      { service: 'layout', type: 'cpu', unit: 'nanoseconds', samples: 2, total: 10, linked: 1, duration: '10000000000' },
    ]);
  });

  it('that lean on nothing are refused', async () => {
    const broken = { ...profiles('layout', AT), dictionary: { stringTable: ['', 'cpu', 'ns'] } };
    expect(await sendJson(dusk.url, '/v1development/profiles', broken)).toEqual({
      partialSuccess: { rejectedProfiles: '1', errorMessage: '1 × a stack of a profile is not in its stack table' },
    });
  });
});

describe('events of our own', () => {
  const database = { 'db.system.name': 'postgresql', 'server.address': 'berths-db', 'db.namespace': 'berths' };
  const sent = [
    second(
      AT,
      'berths-db',
      [
        {
          session: '4711',
          state: 'active',
          blocked_by: ['4700'],
          wait_class: 'Lock',
          wait_event: 'transactionid',
          statement_id: 'f1',
          traceparent: `00-${TRACE}-b7ad6b7169203331-01`,
        },
      ],
      { 'lantern.db.idle': 3, 'lantern.db.statements': { f1: 'UPDATE booking' } },
    ),
    event('lantern.db.statement', AT, {
      ...database,
      'lantern.db.statement_id': 'f1',
      'lantern.db.calls': 12,
      'lantern.db.total_ms': 80.5,
    }),
    event('lantern.db.plan', AT, {
      ...database,
      'lantern.db.statement_id': 'f1',
      'lantern.db.plan_id': 'p1',
      'lantern.db.plan': '[]',
    }),
    event('lantern.request.in_flight', AT, { 'lantern.operation': 'POST /holds', 'lantern.age_ms': 4000 }),
    event('lantern.change', AT, {
      'lantern.change.kind': 'deployment',
      'lantern.change.title': 'berths 4.7.0',
      'service.version': '4.7.0',
    }),
    event('lantern.inventory', AT, {
      'lantern.object.kind': 'pod',
      'lantern.object.id': 'berths-n2',
      'lantern.object.name': 'berths-n2',
      'lantern.object.detail': { phase: 'running' },
    }),
    event('lantern.visit', AT, {
      'session.id': 's1',
      'lantern.visit.kind': 'page',
      'url.path': '/sailings',
      'lantern.visit.duration_ms': 1200,
    }),
  ];

  it('are derived each into its table, and kept as they came', async () => {
    expect(await sendJson(dusk.url, '/v1/logs', logs('berths', sent))).toEqual({});
    expect(await rows('SELECT server, seconds, samples FROM db_block')).toEqual([
      { server: 'berths-db', seconds: 1, samples: 1 },
    ]);
    expect(await rows('SELECT id, text FROM statement_text')).toEqual([{ id: 'f1', text: 'UPDATE booking' }]);
    expect(await rows('SELECT statement_id, calls::int AS calls, total_ms FROM db_statement')).toEqual([
      { statement_id: 'f1', calls: 12, total_ms: 80.5 },
    ]);
    expect(await rows('SELECT plan_id, plan FROM db_plan')).toEqual([{ plan_id: 'p1', plan: '[]' }]);
    expect(await rows('SELECT operation, age_ms FROM in_flight')).toEqual([{ operation: 'POST /holds', age_ms: 4000 }]);
    expect(await rows('SELECT kind, phase, title, version FROM change')).toEqual([
      { kind: 'deployment', phase: 'done', title: 'berths 4.7.0', version: '4.7.0' },
    ]);
    expect(await rows('SELECT kind, name, gone, detail FROM inventory')).toEqual([
      { kind: 'pod', name: 'berths-n2', gone: false, detail: { phase: 'running' } },
    ]);
    expect(await rows('SELECT session, kind, page, duration_ms FROM visit')).toEqual([
      { session: 's1', kind: 'page', page: '/sailings', duration_ms: 1200 },
    ]);
  });

  it('that are not as their schema says are kept as log records, and the sender is told', async () => {
    const answer = await sendJson(
      dusk.url,
      '/v1/logs',
      logs('berths', [event('lantern.change', AT, { 'lantern.change.kind': 'whim' })]),
    );
    expect(answer.partialSuccess?.rejectedLogRecords).toBe('0');
    expect(answer.partialSuccess?.errorMessage).toContain('lantern.change.kind');
    expect(await rows('SELECT count(*)::int AS count FROM change')).toEqual([{ count: 1 }]);
  });
});

describe('what may be sent only once', () => {
  it.each([
    ['/v1/logs', logs('once', [{ atMs: AT, text: 'once' }]), 'SELECT sum(records)::int AS count FROM log_block'],
    ['/v1/metrics', metricsOfEachKind('once', AT), 'SELECT count(*)::int AS count FROM metric_point'],
    ['/v1development/profiles', profiles('once', AT), 'SELECT count(*)::int AS count FROM profile'],
  ])('is kept once at %s, sent again and at once', async (path, body, query) => {
    await sendJson(dusk.url, path, body);
    const before = await rows(query);
    await Promise.all([sendJson(dusk.url, path, body), sendJson(dusk.url, path, body), sendJson(dusk.url, path, body)]);
    expect(await rows(query)).toEqual(before);
  });
});

describe('clocks out of range', () => {
  it('are kept apart, in one place for all of them', async () => {
    const years = Array.from({ length: 30 }, (_, year) => ({ atMs: Date.UTC(1980 + year, 5, 1), text: `year ${year}` }));
    await sendJson(dusk.url, '/v1/logs', logs('clockOutOfRange', years));
    expect(await rows('SELECT sum(records)::int AS count FROM log_block WHERE day = 0')).toEqual([{ count: 30 }]);
    const { stored } = await getJson(dusk.url, '/api/intake');
    expect(stored.find((it: { signal: string }) => it.signal === 'logs').clockOutOfRange).toBe(30);
  });

  it('make no more than so many days, however they wander', async () => {
    const days = Array.from({ length: 200 }, (_, day) => ({ atMs: Date.now() - (day + 20) * 86_400_000, text: `day ${day}` }));
    await sendJson(dusk.url, '/v1/logs', logs('wandering', days));
    const [{ count }] = await rows(
      `SELECT count(*)::int AS count FROM pg_inherits JOIN pg_class p ON p.oid = inhparent WHERE relname = 'log_block'`,
    );
    expect(count).toBeLessThan(70);
    const [{ records }] = await rows(
      `SELECT sum(records)::int AS records FROM log_minute m JOIN log_kind k ON k.id = m.key_id WHERE service = 'wandering'`,
    );
    expect(records).toBe(200);
  });
});

it('the figures of intake say what came and what did not, and who sent it', async () => {
  const state = await until(
    () => getJson(dusk.url, '/api/intake'),
    (it) => it.signals.find((of: { signal: string }) => of.signal === 'logs').records > 200,
  );
  const ofLogs = state.signals.find((it: { signal: string }) => it.signal === 'logs');
  expect(ofLogs.repeated).toBe(3);
  expect(ofLogs.perMinute.reduce((sum: number, it: number) => sum + it, 0)).toBe(ofLogs.records);
  expect(state.refused.map((it: { reason: string }) => it.reason)).toContain('neither a time nor an observed time is set');
  const { senders } = await getJson(dusk.url, '/api/intake/senders');
  const holds = senders.find((it: { service: string }) => it.service === 'holds');
  expect([holds.version, holds.signals.map((it: { signal: string; records: number }) => [it.signal, it.records])]).toEqual([
    '1.4.0',
    [['logs', 6]],
  ]);
  expect(senders.find((it: { service: string }) => it.service === 'wandering').missing).toContain(
    'no log record names its trace',
  );
});

it('has logged no error of its own through all of this', () => {
  expect(dusk.log()).not.toMatch(/Error|error/);
});
