import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { WAIT_CLASSES } from '../../../src/core/database/waitClasses.ts';
import { loadParser, readStatement } from '../../../src/formats/database/fingerprint.ts';
import { type Installation, install } from '../../support/installation.ts';
import { logs, measures, second } from '../../support/made/otlpSignals.ts';
import { EPOCH, makeSpans } from '../../support/made/traceMaker.ts';
import {
  END,
  SEARCH,
  SECONDS,
  type Session,
  START,
  sendTroubledDatabase,
  TURN,
  troubled,
  UPDATE,
  WINDOW,
} from '../../support/made/troubledDatabase.ts';
import { getJson, sendJson, sendSpans } from '../../support/sending.ts';

let dusk: Installation;

beforeAll(async () => {
  dusk = await install();
  await sendTroubledDatabase(dusk.url);
});
afterAll(() => dusk?.stop());

const server = (query = '', name = 'manifest-db') => getJson(dusk.url, `/api/databases/${name}?${WINDOW}${query}`);
const active = (sessions: readonly Session[]) => sessions.filter(({ state }) => state === 'active');
const litSeconds = SECONDS.filter((at) => at >= TURN);

describe('all servers', () => {
  it('have the load that a recount of the samples gives, by what they wait for, the worse one first', async () => {
    const { servers, classes } = await getJson(dusk.url, `/api/databases?${WINDOW}`);
    expect(servers.map((it: { name: string; move: string }) => [it.name, it.move])).toEqual([
      ['manifest-db', 'up'],
      ['account-db', 'flat'],
    ]);
    const [worse, calm] = servers;
    const all = litSeconds.flatMap((at) => active(troubled(at)));
    expect(worse.lit.value).toBeCloseTo(all.length / litSeconds.length, 9);
    expect(worse.lit.byClass[classes.indexOf('Lock')]).toBe(3);
    expect(worse.lit.error).toBeCloseTo(1.96 * Math.sqrt(worse.lit.value / litSeconds.length), 9);
    expect(worse.before.value).toBeCloseTo(0.25, 9);
    expect(Math.abs(worse.since - TURN)).toBeLessThanOrEqual(2 * worse.tide.stepMs);
    // A second without a sample is no second without load.
    expect(calm.coverage).toBeCloseTo(0.9, 2);
    expect(calm.lit.samples).toBe(540);
    expect(calm.tide.samples.filter((it: number) => it === 0).length).toBeGreaterThan(0);
  });

  it('say who waits on them', async () => {
    const { programs } = await getJson(dusk.url, `/api/databases?${WINDOW}`);
    expect(programs[0]).toMatchObject({ server: 'manifest-db', program: 'manifests' });
    expect(programs[0].lit.reduce((sum: number, it: number) => sum + it, 0)).toBe(3);
  });
});

describe('one server', () => {
  it('is cut by statement, table, program; the cuts add up to the load', async () => {
    const { cuts, lit } = await server();
    for (const cut of cuts) {
      const sum = cut.rows.reduce(
        (total: number, row: { lit: number[] }) => total + row.lit.reduce((a, b) => a + b, 0),
        cut.rest.lit,
      );
      expect.soft(sum, cut.dimension).toBeCloseTo(lit.value, 9);
    }
    const of = (dimension: string) => cuts.find((it: { dimension: string }) => it.dimension === dimension);
    expect(of('statement').rows[0]).toMatchObject({ value: UPDATE, name: 'UPDATE booking', detail: 'sailing_id', move: 'up' });
    expect(of('table').rows.map((it: { value: string }) => it.value)).toEqual(['booking', 'sailing']);
    expect(of('program').rows[0].value).toBe('manifests');
  });

  it('goes into one part after the other', async () => {
    const { trail, chosen, cuts, tide } = await server('&trail=program:manifests|client:manifests-1');
    expect(trail.map((it: { name: string; load: number }) => [it.name, it.load])).toEqual([
      ['manifests', 3],
      ['manifests-1', 2],
    ]);
    expect(chosen.value).toBe(2);
    expect(cuts.map((it: { dimension: string }) => it.dimension)).not.toContain('program');
    const lit = tide.loads.filter((_: number[], at: number) => tide.from + at * tide.stepMs >= TURN && tide.samples[at] > 0);
    for (const load of lit) expect(load.reduce((a: number, b: number) => a + b, 0)).toBeCloseTo(2, 9);
    expect((await server('&trail=table:sailing')).chosen.value).toBeCloseTo(0.25, 9);
    expect((await server('&trail=class:Lock')).chosen.value).toBe(3);
  });

  it('names the session that all wait for, what it costs, and that it does nothing', async () => {
    const { blocking, heldOpen } = await server();
    expect(blocking.waitedMs).toBe(3 * 600_000);
    expect(blocking.roots).toMatchObject([
      {
        session: '90',
        program: 'season-rollover',
        waitedMs: 1_800_000,
        most: 3,
        firstMs: TURN,
        lastMs: END - 1000,
        statement: 'UPDATE booking',
      },
    ]);
    expect(blocking.roots[0].idleShare).toBeCloseTo(1, 2);
    expect(heldOpen).toMatchObject([{ session: '90', from: TURN, to: END - 1000, transactionFrom: TURN - 2000 }]);
  });

  describe('over days, from hours that were added up', () => {
    const from = START - 61 * 3_600_000 + 13 * 60_000;
    // The hours of the trouble lie wholly within it.
    const long = `from=${new Date(from).toISOString()}&to=${new Date(END + 67 * 60_000).toISOString()}`;
    const over = (query = '', path = '/manifest-db') => getJson(dusk.url, `/api/databases${path}?${long}${query}`);
    const sumOf = (loads: readonly number[]) => loads.reduce((sum, it) => sum + it, 0);
    const all = SECONDS.flatMap((at) => active(troubled(at)));

    it('has the load that a recount of all samples gives, cut in the same way, and who stood in the way', async () => {
      const [whole, part] = [await over(), await server()];
      expect(whole.lit.samples).toBe(SECONDS.length);
      expect(whole.lit.value).toBeCloseTo(all.length / SECONDS.length, 9);
      expect(whole.tide.samples.reduce((sum: number, it: number) => sum + it, 0)).toBe(SECONDS.length);
      for (const cut of whole.cuts)
        expect
          .soft(sumOf(cut.rows.map((row: { lit: number[] }) => sumOf(row.lit))), cut.dimension)
          .toBeCloseTo(whole.lit.value, 9);
      const updates = all.filter((it) => it.statement_id === UPDATE).length;
      const { rows } = whole.cuts.find((it: { dimension: string }) => it.dimension === 'statement');
      expect(sumOf(rows.find(({ value }: { value: string }) => value === UPDATE).lit)).toBeCloseTo(updates / SECONDS.length, 9);
      expect(whole.blocking.waitedMs).toBe(part.blocking.waitedMs);
      expect(whole.blocking.roots).toEqual(part.blocking.roots);
      expect(whole.heldOpen).toEqual(part.heldOpen);
      expect(whole.moment.at).toBe(part.moment.at);
    });

    it('goes into one part after the other', async () => {
      const { trail } = await over('&trail=program:manifests|client:manifests-1');
      const [of, ofClient] = [
        all.filter(({ program }) => program === 'manifests'),
        all.filter(({ program, client }) => program === 'manifests' && client === 'manifests-1'),
      ];
      expect(trail.map(({ load }: { load: number }) => load * SECONDS.length)).toEqual([
        expect.closeTo(of.length, 6),
        expect.closeTo(ofClient.length, 6),
      ]);
    });

    it('is the same among all servers, and of a statement with who held its locks', async () => {
      const { servers } = await over('', '');
      const it = servers.find(({ name }: { name: string }) => name === 'manifest-db');
      expect(it.lit.value).toBeCloseTo(all.length / SECONDS.length, 9);
      const path = `/manifest-db/statements/${UPDATE}`;
      const [whole, part] = [await over('', path), await getJson(dusk.url, `/api/databases${path}?${WINDOW}`)];
      expect(whole.holders).toEqual(part.holders);
      expect(whole.lit.samples).toBe(SECONDS.length);
    });
  });

  it('lists the sessions at any second, and none where nothing was sampled', async () => {
    const at = TURN + 123_000;
    const of = (ms: number, name = 'manifest-db') =>
      getJson(dusk.url, `/api/databases/${name}/sessions?at=${new Date(ms).toISOString()}`);
    const { moment } = await of(at + 500);
    expect(moment.at).toBe(at);
    expect(moment.sessions.map((it: { session: string }) => it.session).sort()).toEqual(
      troubled(at)
        .map((it) => it.session)
        .sort(),
    );
    expect(moment.trees).toEqual([
      { session: '90', depth: 0, behind: 3 },
      ...['20', '21', '22'].map((session) => ({ session, depth: 1, behind: 0 })),
    ]);
    expect((await of(START - 3_600_000)).moment).toBeNull();
  });

  it('are those of the moment also where senders that catch up mix the hours', async () => {
    // Each batch has a second of now and one of hours before, and none of what lies between.
    const at = START + 2 * 3_600_000;
    const session = (of: number) => [{ session: String(of), state: 'active', program: 'late' }];
    for (let batch = 0; batch < 12; batch++) {
      const [early, late] = [at - 3 * 3_600_000 + batch * 1_000, at + 3 * 3_600_000 + batch * 1_000];
      const lines = [second(early, 'late-db', session(1)), second(late, 'late-db', session(2))];
      await sendJson(dusk.url, '/v1/logs', logs('sampler', lines));
    }
    const sessionsAt = async (ms: number) =>
      (await getJson(dusk.url, `/api/databases/late-db/sessions?at=${new Date(ms).toISOString()}`)).moment;
    // What was sampled three hours ago is not how it was.
    expect(await sessionsAt(at)).toBeNull();
    await sendJson(dusk.url, '/v1/logs', logs('sampler', [second(at - 60_000, 'late-db', session(3))]));
    expect(await sessionsAt(at)).toMatchObject({ at: at - 60_000, sessions: [{ session: '3' }] });
    expect(await sessionsAt(at - 3 * 3_600_000 + 5_500)).toMatchObject({ at: at - 3 * 3_600_000 + 5_000 });
    expect(await sessionsAt(at + 3 * 3_600_000 + 11_000)).toMatchObject({ sessions: [{ session: '2' }] });
  });

  it('that nobody samples is not known, and a trail that is none is refused', async () => {
    for (const [path, status] of [
      [`/api/databases/nowhere?${WINDOW}`, 404],
      [`/api/databases/manifest-db?${WINDOW}&trail=mood:bad`, 400],
      [`/api/databases/manifest-db/statements/none?${WINDOW}`, 404],
    ] as const) {
      const answer = await fetch(`${dusk.url}${path}`);
      expect(answer.status).toBe(status);
      expect((await answer.json()).error.length).toBeGreaterThan(20);
    }
  });
});

describe('indexes', () => {
  const indexes = (name = 'manifest-db') => getJson(dusk.url, `/api/databases/${name}/indexes?${WINDOW}`);

  it('that the plan in force lacks are named, with what they save of what its calls cost', async () => {
    const { missing, plans, indexes: counted, isLongEnough } = await indexes();
    expect([plans, counted, isLongEnough]).toEqual([1, 0, false]);
    const found = await getJson(dusk.url, `/api/databases/manifest-db/statements/${SEARCH}?${WINDOW}`);
    const { calls, ms, blocksHit } = found.cost.lit;
    const sessions = (calls * ms) / 1000;
    expect(missing).toEqual([
      {
        table: 'sailing',
        columns: ['route'],
        rows: null,
        changedPerMinute: null,
        sessions: expect.closeTo(sessions, 6),
        saves: expect.closeTo(sessions * (1 - 27 / blocksHit), 6),
        statements: [
          {
            id: SEARCH,
            name: 'SELECT sailing',
            detail: expect.any(String),
            sessions: expect.closeTo(sessions, 6),
            blocks: blocksHit,
            least: 27,
          },
        ],
      },
    ]);
  });

  it('that nothing looked into for a day are named, with what keeping them costs', async () => {
    const of = (name: string, unique: boolean) => ({
      'db.collection.name': 'sailing',
      'db.index.name': name,
      'db.index.unique': String(unique),
    });
    const points = [0, 12, 30].flatMap((hours) => {
      const atMs = END - 60_000 - hours * 3_600_000;
      const count = (name: string, value: number, attributes: Record<string, string>) =>
        ({ name, kind: 'count', atMs, value, of: attributes }) as const;
      const size = (value: number, attributes: Record<string, string>) =>
        ({ name: 'db.index.size', kind: 'gauge', atMs, value, of: attributes }) as const;
      return [
        count('db.index.scans', 0, of('sailing_state_idx', false)),
        size(2_000_000 - hours, of('sailing_state_idx', false)),
        count('db.index.scans', hours === 12 ? 1 : 0, of('sailing_route_idx', false)),
        size(9_000_000, of('sailing_route_idx', false)),
        count('db.index.scans', 0, of('sailing_pkey', true)),
        count('db.table.rows.changed', 50, { 'db.collection.name': 'sailing' }),
        { name: 'db.table.rows', kind: 'gauge', atMs, value: 88_000, of: { 'db.collection.name': 'sailing' } } as const,
      ];
    });
    await sendJson(dusk.url, '/v1/metrics', measures({ 'server.address': 'manifest-db' }, points));
    const { missing, unused, indexes: counted, isLongEnough, observedMs, bytes } = await indexes();
    expect([counted, isLongEnough, observedMs, bytes]).toEqual([3, true, 30 * 3_600_000, 11_000_000]);
    // Fifty rows in the ten minutes that are lit.
    expect(unused).toEqual([
      { table: 'sailing', name: 'sailing_state_idx', bytes: 2_000_000, unique: false, changedPerMinute: 5 },
    ]);
    expect(missing[0]).toMatchObject({ rows: 88_000, changedPerMinute: 5 });
  });

  it('of a server of which nobody tells are not known', async () => {
    expect(await indexes('account-db')).toMatchObject({ plans: 0, missing: [], unused: [], indexes: 0 });
  });
});

describe('a statement', () => {
  it('costs what its counters say, has its plans, and the advice that follows from them', async () => {
    const found = await getJson(dusk.url, `/api/databases/manifest-db/statements/${SEARCH}?${WINDOW}`);
    expect(found.title).toBe('SELECT sailing');
    expect(found.text).toContain('ORDER BY\n');
    expect(found.cost.before).toMatchObject({ ms: 10, rows: 24, blocksHit: 60 });
    // The reading at the turn belongs to what came before it.
    expect(found.cost.lit.ms).toBeGreaterThan(170);
    expect(found.plans.map((it: { planId: string }) => it.planId)).toEqual(['p1', 'p2']);
    expect(found.plans[1]).toMatchObject({ difference: ['sailing: Index Scan → Seq Scan'], meanBeforeMs: 10, meanAfterMs: 200 });
    expect(found.advice[0].evidence).toBe('sailing: Index Scan → Seq Scan; a call takes 10 → 200 ms');
  });

  it('that waits for a lock is said to wait for its holder', async () => {
    const found = await getJson(dusk.url, `/api/databases/manifest-db/statements/${UPDATE}?${WINDOW}`);
    expect(found.lit.byClass[WAIT_CLASSES.indexOf('Lock')]).toBe(3);
    expect(found.holders).toEqual([{ who: 'season-rollover', session: '90', share: 1, idleShare: 1 }]);
    expect(found.advice[0].words).toMatch(/^End the transaction of season-rollover/);
  });

  it('leads to the requests in whose course it ran', async () => {
    const traceId = 'abcdef0123456789abcdef0123456789' as never;
    const shift = BigInt(TURN + 30_000) * 1_000_000n - EPOCH;
    await sendSpans(
      dusk.url,
      makeSpans({ id: 0, from: 0, to: 5e9, service: 'gangway', kind: 'server', name: 'GET /sailings' }).map((span) => ({
        ...span,
        traceId,
        start: span.start + shift,
        end: span.end + shift,
      })),
    );
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('sampler of another', [
        second(TURN + 32_500, 'other-db', [
          { session: '1', state: 'active', statement_id: SEARCH, traceparent: `00-${traceId}-00000000000000aa-01` },
        ]),
      ]),
    );
    const found = await getJson(dusk.url, `/api/databases/other-db/statements/${SEARCH}?${WINDOW}`);
    expect(found.callers).toEqual([{ service: 'gangway', operation: 'GET /sailings', traces: 1 }]);
    expect(found.traces[0]).toMatchObject({ traceId, durationNs: 5e9 });
  });
});

describe('how long a statement takes for its callers', () => {
  const TEXT = "SELECT * FROM berth WHERE quay = 'tern' AND free";
  const spansOf = (at: number, number: number, milliseconds: number, calls: Record<string, string>[]) => {
    const shift = BigInt(at) * 1_000_000n - EPOCH;
    return makeSpans(
      { id: 0, from: 0, to: 9e8, service: 'gangway', kind: 'server', name: 'GET /berths' },
      ...calls.map((attributes, index) => ({
        id: index + 1,
        parent: 0,
        from: 1e6,
        to: 1e6 + milliseconds * 1e6,
        service: 'gangway',
        kind: 'client' as const,
        attributes: { 'db.system.name': 'postgresql', 'server.address': 'berth-db', ...attributes },
      })),
    ).map((span) => ({
      ...span,
      traceId: `be${number.toString(16).padStart(6, '0')}`.padEnd(32, '0') as typeof span.traceId,
      start: span.start + shift,
      end: span.end + shift,
    }));
  };
  const times = (id: string) => getJson(dusk.url, `/api/databases/berth-db/statements/${id}/times?${WINDOW}`);

  it('is counted over a fair sample of all requests that may run it, and unknown for too few', async () => {
    await loadParser();
    const { id } = readStatement(TEXT)!;
    // Other values are the same statement; another server, or another statement, is none.
    const calls: Record<string, string>[] = [
      { 'db.query.text': TEXT.replace('tern', 'auk') },
      { 'db.query.text': TEXT, 'server.address': 'berth-replica' },
      { 'db.query.text': 'SELECT 1' },
    ];
    const lit = Array.from({ length: 200 }, (_, at) => spansOf(TURN + at * 1_000, at, at + 1, calls));
    const before = Array.from({ length: 30 }, (_, at) => spansOf(START + at * 1_000, 1_000 + at, 5, calls));
    await sendSpans(dusk.url, [...lit, ...before].flat());
    expect(await times(id)).toMatchObject({ entries: [], lit: { calls: 0, p95: null } });
    const [seen] = lit[150];
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('sampler of berths', [
        second(TURN + 150_500, 'berth-db', [
          { session: '1', state: 'active', statement_id: id, traceparent: `00-${seen.traceId}-00000000000000aa-01` },
        ]),
      ]),
    );
    const found = await times(id);
    expect(found.entries).toEqual(['GET /berths']);
    expect(found.lit).toMatchObject({ calls: 200, requests: 200, read: 200, total: 200 });
    expect(found.lit.p50.value).toBe(100e6);
    expect(found.lit.p95.value).toBe(190e6);
    // By order statistics: 190 and 1.96 standard errors of 3.1 ranks.
    expect(found.lit.p95.low).toBe(183e6);
    expect(found.lit.p95.high).toBe(198e6);
    expect(found.before).toMatchObject({ calls: 30, p50: { value: 5e6, low: 5e6, high: 5e6 }, p95: null });
  });
});

describe('sampled seconds', () => {
  it('are exported as the events that they came as, each once, and are no log records beside', async () => {
    const text = await (
      await fetch(`${dusk.url}/api/export/logs?from=${new Date(TURN).toISOString()}&to=${new Date(TURN + 10_000).toISOString()}`)
    ).text();
    const records = text
      .trim()
      .split('\n')
      .flatMap((line) => JSON.parse(line).resourceLogs)
      .flatMap((it) => it.scopeLogs.flatMap((scope: { logRecords: unknown[] }) => scope.logRecords))
      .filter((it: { eventName?: string }) => it.eventName === 'lantern.db.second');
    expect(records).toHaveLength(20);
    const again = await install();
    try {
      for (const line of text.trim().split('\n')) await sendJson(again.url, '/v1/logs', JSON.parse(line));
      const lit = `from=${new Date(TURN).toISOString()}&to=${new Date(TURN + 10_000).toISOString()}&before=just`;
      const [one, other] = await Promise.all([dusk, again].map(({ url }) => getJson(url, `/api/databases/manifest-db?${lit}`)));
      expect(other.lit).toEqual(one.lit);
      // What came before was not exported: only the lit side is there.
      const parts = ({ cuts }: typeof one) =>
        cuts.map((cut: { rows: { value: string; lit: number[] }[] }) => cut.rows.map(({ value, lit: own }) => [value, own]));
      expect(parts(other)).toEqual(parts(one));
      expect(other.blocking).toEqual(one.blocking);
    } finally {
      await again.stop();
    }
  });
});
