import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { STATEMENTS } from '../../../demo/company/statements.ts';
import { INCIDENTS } from '../../../demo/incidents/known.ts';
import { type DayTables, loadDay } from '../../support/made/dayTables.ts';

/* Every incident of the demo day as one plain query over what is sent, with its decoys; and the quiet hours. */

const END = Date.parse('2026-05-02T15:00:00Z');
let day: DayTables;
beforeAll(async () => {
  day = await loadDay({ endMs: END, hours: 24, seed: 1 });
}, 900_000);
afterAll(() => day?.stop());

/** Where a time lies: during an incident, once it is well under way; or in the hours before it, when nothing else harms the same place. */
function during(id: string, after = 0, column = 'before'): string {
  const { begins, ends } = INCIDENTS.find((incident) => incident.id === id)!;
  return `${column} BETWEEN ${ends ?? 0} AND ${begins - after}`;
}
const QUIET = 'before BETWEEN 870 AND 1380';
const median = (of: string, where: string) => `percentile_cont(0.5) WITHIN GROUP (ORDER BY ${of}) FILTER (WHERE ${where})`;
const quantile = (share: number, of: string, where: string) =>
  `percentile_cont(${share}) WITHIN GROUP (ORDER BY ${of}) FILTER (WHERE ${where})`;
const share = (what: string, where: string) =>
  `(count(*) FILTER (WHERE ${where} AND ${what}))::float8 / greatest(1, count(*) FILTER (WHERE ${where}))`;
const entry = (name: string) => `FROM span WHERE service = 'gangway' AND kind = 'server' AND name = '${name}'`;

describe('the incidents of the day', () => {
  it('1: berths 4.7.0 is slow for coach and freight alone; holds looks slow, fares changed at the same hour and did nothing', async () => {
    const lit = during('berths-n2', 10);
    const big = `vehicle IN ('coach', 'freight')`;
    const solve =
      await day.row(`SELECT ${median('ms', `${lit} AND ${big}`)} AS big, ${median('ms', `${lit} AND NOT ${big}`)} AS small,
      ${median('ms', `${QUIET} AND ${big}`)} AS big_before, ${median('ms', `${QUIET} AND NOT ${big}`)} AS small_before FROM span WHERE name = 'layout.solve'`);
    expect(solve.big / solve.big_before).toBeGreaterThan(20);
    expect(solve.small / solve.small_before).toBeLessThan(1.8);
    const holds = await day.row(
      `SELECT ${quantile(0.95, 'ms', lit)} AS lit, ${quantile(0.95, 'ms', QUIET)} AS usual FROM span WHERE service = 'holds' AND name = 'POST /holds' AND kind = 'server'`,
    );
    expect(holds.lit / holds.usual).toBeGreaterThan(5);
    const fares = await day.row(`SELECT ${median('ms', lit)} AS lit, ${median('ms', QUIET)} AS usual,
      count(*) FILTER (WHERE version = '2.14.0') AS renewed FROM span WHERE service = 'fares' AND kind = 'server'`);
    expect(fares.lit / fares.usual).toBeLessThan(1.15);
    expect(fares.renewed).toBeGreaterThan(100);
  });

  it('2: requests wait for a connection of manifests while its CPU is low and each statement takes a part of a second', async () => {
    const lit = during('manifests-pool', 35);
    const pool = await day.row(
      `SELECT ${quantile(0.9, 'ms', lit)} AS lit, ${quantile(0.9, 'ms', QUIET)} AS usual FROM span WHERE service = 'manifests' AND name = 'acquire connection'`,
    );
    expect(pool.lit).toBeGreaterThan(1000);
    expect(pool.usual).toBeLessThan(20);
    const open = await day.row(
      `SELECT ${median('ms', lit)} AS lit, ${median('ms', QUIET)} AS usual ${entry('GET /manifests/{sailing}')}`,
    );
    expect(open.lit / open.usual).toBeGreaterThan(8);
    const cpu = await day.row(
      `SELECT max(value) AS most FROM point WHERE name = 'k8s.pod.cpu.usage' AND of LIKE 'manifests-%' AND ${lit}`,
    );
    expect(cpu.most).toBeLessThan(0.3);
    const statement = await day.row(
      `SELECT ${median('ms', lit)} AS lit FROM span WHERE service = 'manifests' AND kind = 'client' AND name LIKE 'SELECT%'`,
    );
    expect(statement.lit).toBeLessThan(1500);
  });

  it('3: searches on the outer routes fail by a 403 of met-relay.example; those between the inner islands do not', async () => {
    const lit = during('met-relay-key', 2);
    const outer = `route IN ('little-auk-fennick', 'fennick-saltern', 'skerry-holm-saltern')`;
    const search =
      await day.row(`SELECT ${share('failed', `${lit} AND ${outer}`)} AS outer_share, ${share(`failed AND error NOT LIKE '%CircuitOpen%'`, `${lit} AND NOT ${outer}`)} AS inner_share,
      ${share('failed', QUIET)} AS usual ${entry('GET /sailings')}`);
    expect(search.outer_share).toBeGreaterThan(0.3);
    expect(search.inner_share).toBeLessThan(0.02);
    expect(search.usual).toBeLessThan(0.01);
    const refused = await day.row(
      `SELECT count(*) FILTER (WHERE ${lit}) AS lit, count(*) FILTER (WHERE NOT (${lit})) AS other FROM span WHERE service = 'tidewatch' AND status = 403 AND kind = 'client'`,
    );
    expect(refused.lit).toBeGreaterThan(20);
    expect(refused.other).toBeLessThan(refused.lit / 3);
    const red = await day.rows<{ service: string }>(
      `SELECT service FROM span WHERE failed AND kind = 'server' AND ${lit} GROUP BY service HAVING count(*) > 10 ORDER BY 1`,
    );
    expect(red.map(({ service }) => service)).toEqual(expect.arrayContaining(['gangway', 'sailings', 'tidewatch']));
  });

  it('4: changes of bookings hang behind one session that is idle in its transaction', async () => {
    const lit = during('season-locks', 2);
    const change = await day.row(
      `SELECT ${median('ms', lit)} AS lit, ${median('ms', QUIET)} AS usual, ${share('failed', lit)} AS failing ${entry('PUT /bookings/{ref}')}`,
    );
    expect(change.lit / change.usual).toBeGreaterThan(50);
    expect(change.failing).toBeGreaterThan(0.5);
    const blocked = await day.row(
      `SELECT count(*) AS samples, count(DISTINCT session) AS sessions FROM sample WHERE server = 'manifest-db' AND wait_class = 'Lock' AND ${lit}`,
    );
    expect(blocked.samples).toBeGreaterThan(300);
    expect(blocked.sessions).toBeGreaterThan(3);
    const [root] = await day.rows<{
      program: string;
      state: string;
    }>(`SELECT program, state FROM sample WHERE server = 'manifest-db' AND ${lit}
      AND session IN (SELECT blocker FROM sample WHERE blockers > 0 AND ${lit}) AND blockers = 0 GROUP BY 1, 2 ORDER BY count(*) DESC LIMIT 1`);
    expect(root).toEqual({ program: 'season-rollover', state: 'idle in transaction' });
  });

  it('5: CPU is stolen on quay-3 and only its instances are slow; what their processes use is as usual', async () => {
    const lit = during('quay-3-backup', 1);
    const steal = await day.rows<{ of: string; most: number }>(
      `SELECT of, max(value)::float8 AS most FROM point WHERE name = 'system.cpu.utilization' AND mode = 'steal' AND ${lit} GROUP BY of`,
    );
    expect(steal.filter(({ most }) => most > 0.001).every(({ of }) => of.startsWith('vm-quay-3'))).toBe(true);
    expect(steal.filter(({ most }) => most > 0.001).length).toBeGreaterThan(1);
    const accounts =
      await day.row(`SELECT ${median('ms', `${lit} AND instance = 'accounts-2'`)} AS there, ${median('ms', `${lit} AND instance = 'accounts-1'`)} AS elsewhere,
      ${median('ms', `${QUIET} AND instance = 'accounts-2'`)} AS usual FROM span WHERE service = 'accounts' AND kind = 'server' AND name = 'POST /sessions'`);
    expect(accounts.there / accounts.usual).toBeGreaterThan(3);
    expect(accounts.elsewhere / accounts.usual).toBeLessThan(1.2);
    const used = await day.row(
      `SELECT max(value) FILTER (WHERE ${lit}) AS lit, max(value) FILTER (WHERE ${QUIET}) AS usual FROM point WHERE name = 'k8s.pod.cpu.usage' AND of = 'accounts-2'`,
    );
    expect(used.lit / used.usual).toBeLessThan(1.5);
  });

  it('6: notices is killed for memory again and again, mails wait in the queue or go out twice, and the API shows no error', async () => {
    const lit = during('notices-memory', 5);
    const restarts = await day.row(
      `SELECT max(value) - min(value) AS killed FROM point WHERE name = 'k8s.container.restart.count' AND of LIKE 'notices-%' AND ${lit}`,
    );
    expect(restarts.killed).toBeGreaterThan(3);
    const mails = await day.row(`SELECT ${quantile(0.9, 'age_ms', lit)} AS lit, ${quantile(0.99, 'age_ms', QUIET)} AS usual,
      count(*) FILTER (WHERE deliveries > 1 AND ${lit}) AS twice, count(*) FILTER (WHERE deliveries > 1 AND ${QUIET}) AS twice_usually FROM span WHERE name = 'process notice-queue'`);
    expect(mails.lit).toBeGreaterThan(30_000);
    expect(mails.usual).toBeLessThan(1_000);
    expect(mails.twice).toBeGreaterThan(0);
    expect(mails.twice_usually).toBe(0);
    const api = await day.row(`SELECT ${share('failed', lit)} AS failing ${entry('POST /holds')}`);
    expect(api.failing).toBeLessThan(0.02);
  });

  it('7: the plan of SELECT sailing flips, searches of far dates are slow, and the load of sailing-db rises', async () => {
    const lit = during('sailing-index', 1);
    const search =
      await day.row(`SELECT ${median('ms', `${lit} AND days_ahead > 30`)} AS far, ${median('ms', `${lit} AND days_ahead <= 30`)} AS near,
      ${median('ms', `${QUIET} AND days_ahead > 30`)} AS usual FROM span WHERE service = 'sailings' AND kind = 'server' AND name = 'GET /sailings'`);
    expect(search.far / search.usual).toBeGreaterThan(5);
    expect(search.near / search.usual).toBeLessThan(2);
    const plans = await day.rows<{ node: string }>(
      `SELECT node FROM plan WHERE statement = '${STATEMENTS.sailingsOfRoute.id}' AND before BETWEEN 125 AND 1440 ORDER BY before DESC`,
    );
    expect(plans.map(({ node }) => node)).toEqual(['Index Scan', 'Seq Scan', 'Index Scan']);
    const load = await day.row(
      `SELECT (count(*) FILTER (WHERE ${lit})) / 79.0 AS lit, (count(*) FILTER (WHERE ${QUIET})) / 510.0 AS usual FROM sample WHERE server = 'sailing-db' AND state = 'active'`,
    );
    expect(load.lit / load.usual).toBeGreaterThan(2);
  });

  it('8: the roster of big vessels asks hundreds of small statements, each of them fast', async () => {
    const lit = during('crew-each', 5);
    const roster =
      await day.row(`SELECT ${median('ms', `${lit} AND crew_size > 300`)} AS big, ${median('ms', `${lit} AND crew_size < 30`)} AS small,
      ${median('ms', `${QUIET} AND crew_size > 300`)} AS usual FROM span WHERE service = 'crew' AND kind = 'server'`);
    expect(roster.big / roster.usual).toBeGreaterThan(5);
    expect(roster.big / roster.small).toBeGreaterThan(5);
    const asked =
      await day.row(`SELECT max(count) AS most, ${'max(median)'} AS median FROM (SELECT count(*), percentile_cont(0.5) WITHIN GROUP (ORDER BY ms) AS median
      FROM span WHERE service = 'crew' AND name = 'SELECT crew_member' AND ${lit} GROUP BY trace) AS of_trace`);
    expect(asked.most).toBe(410);
    expect(asked.median).toBeLessThan(20);
  });

  it('9: pages of quayside-web 2.31 are ready late, buttons are dead, visitors give up, and the backend is as fast as ever', async () => {
    const lit = during('web-script', 5);
    const pages =
      await day.row(`SELECT ${median('ms', `${lit} AND kind = 'page'`)} AS lit, ${median('ms', `${QUIET} AND kind = 'page'`)} AS usual,
      count(*) FILTER (WHERE ${lit} AND effect = 'none') AS dead, count(*) FILTER (WHERE ${QUIET} AND effect = 'none') AS usually_dead FROM visit WHERE app = 'quayside-web'`);
    expect(pages.lit / pages.usual).toBeGreaterThan(5);
    expect(pages.dead).toBeGreaterThan(200);
    expect(pages.usually_dead).toBe(0);
    const backend = await day.row(
      `SELECT ${median('ms', `${lit} AND channel = 'web'`)} AS lit, ${median('ms', `${QUIET} AND channel = 'web'`)} AS usual ${entry('GET /sailings')}`,
    );
    expect(backend.lit / backend.usual).toBeLessThan(1.3);
  });

  it('10: confirming fails at kiosks by a storm of 429, and for nobody else', async () => {
    const lit = during('fares-limit', 2);
    const confirm = await day.row(
      `SELECT ${share('failed', `${lit} AND channel = 'kiosk'`)} AS kiosk, ${share('failed', `${lit} AND channel <> 'kiosk'`)} AS others ${entry('POST /bookings/{ref}/confirm')}`,
    );
    expect(confirm.kiosk).toBeGreaterThan(0.3);
    expect(confirm.others).toBeLessThan(0.02);
    const storm = await day.row(
      `SELECT max(count) AS most FROM (SELECT count(*) FROM span WHERE service = 'fares' AND kind = 'server' AND status = 429 AND ${lit} GROUP BY trace) AS of_trace`,
    );
    expect(storm.most).toBe(9);
    const red = await day.rows<{ service: string }>(
      `SELECT DISTINCT service FROM span WHERE failed AND channel = 'kiosk' AND ${lit} UNION SELECT DISTINCT service FROM span WHERE failed AND service = 'kiosk' AND ${lit}`,
    );
    expect(red.map(({ service }) => service)).toEqual(expect.arrayContaining(['gangway', 'kiosk']));
  });

  it('11: passes becomes slower by a third, instance by instance, with more allocation and a debug log', async () => {
    const late = 'before BETWEEN 0 AND 180';
    const passes = await day.row(
      `SELECT ${median('ms', late)} AS lit, ${median('ms', QUIET)} AS usual ${entry('GET /passes/{ref}')}`,
    );
    expect(passes.lit / passes.usual).toBeGreaterThan(1.2);
    expect(passes.lit / passes.usual).toBeLessThan(1.7);
    const first = await day.rows<{ instance: string }>(
      `SELECT DISTINCT instance FROM span WHERE service = 'passes' AND version = '3.9.0' AND before BETWEEN 190 AND 239`,
    );
    expect(first).toEqual([{ instance: 'passes-1' }]);
    const debug = await day.row(
      `SELECT count(*) FILTER (WHERE version = '3.9.0') AS lit, count(*) FILTER (WHERE version = '3.8.5') AS usual FROM log WHERE service = 'passes' AND body LIKE 'row % of barcode%'`,
    );
    expect(debug.lit).toBeGreaterThan(1000);
    expect(debug.usual).toBe(0);
    const allocated = await day.row(
      `SELECT avg(value) FILTER (WHERE ${late}) / avg(value) FILTER (WHERE ${QUIET}) AS more FROM point WHERE name = 'process.allocated' AND of LIKE 'passes-%'`,
    );
    expect(allocated.more).toBeGreaterThan(3);
  });

  it('12: deck-app 6.2 crashes on Fennel 7 after the manifest, and nowhere else', async () => {
    const crashes = await day.rows<{ version: string; device: string; page: string }>(
      `SELECT DISTINCT version, device, page FROM visit WHERE kind = 'crash'`,
    );
    expect(crashes).toEqual([{ version: '6.2', device: 'Fennel 7', page: '/manifest' }]);
    const funnel =
      await day.row(`WITH reached AS (SELECT session, version, device, bool_or(page = '/manifest') AS manifest, bool_or(page = '/bookings/confirm') AS confirm
        FROM visit WHERE app = 'deck-app' GROUP BY 1, 2, 3)
      SELECT avg(confirm::int) FILTER (WHERE version = '6.2' AND device = 'Fennel 7') AS ill, avg(confirm::int) FILTER (WHERE version = '6.1') AS well FROM reached WHERE manifest`);
    expect(funnel.ill).toBeLessThan(0.3);
    expect(funnel.well).toBeGreaterThan(0.6);
  });
});

describe('the quiet hours', () => {
  it('have no slow and no failing entry operation, but for client errors and the everyday conflict', async () => {
    const entries = await day.rows<{
      name: string;
      failing: number;
      p99: number;
    }>(`SELECT name, avg(failed::int)::float8 AS failing,
      percentile_cont(0.99) WITHIN GROUP (ORDER BY ms) AS p99 FROM span WHERE service = 'gangway' AND kind = 'server' AND ${QUIET} GROUP BY name`);
    expect(entries).toHaveLength(10);
    for (const { name, failing, p99 } of entries) {
      expect.soft(failing, name).toBeLessThan(0.005);
      expect.soft(p99, name).toBeLessThan(1500);
    }
  });

  it('tell of deployments that did nothing', async () => {
    const { deployments } = await day.row(`SELECT count(*) AS deployments FROM change WHERE kind = 'deployment' AND ${QUIET}`);
    expect(deployments).toBeGreaterThan(2);
  });
});

describe('what must hold of the whole day', () => {
  it('is of about the size that is said', async () => {
    const { spans, logs, traces } = await day.row(
      'SELECT (SELECT count(*) FROM span) AS spans, (SELECT count(*) FROM log) AS logs, (SELECT count(DISTINCT trace) FROM span) AS traces',
    );
    expect(spans).toBeGreaterThan(800_000);
    expect(spans).toBeLessThan(1_300_000);
    expect(logs).toBeGreaterThan(380_000);
    expect(logs).toBeLessThan(800_000);
    expect(traces).toBeGreaterThan(80_000);
  });

  it('has a trace for every log, sample and visit that names one, but for what is still under way at the end', async () => {
    const { orphans } =
      await day.row(`SELECT count(*) AS orphans FROM (SELECT trace, before FROM log UNION ALL SELECT trace, before FROM sample UNION ALL SELECT trace, before FROM visit) AS named
      WHERE trace IS NOT NULL AND before > 2 AND NOT EXISTS (SELECT FROM span WHERE span.trace = named.trace)`);
    expect(orphans).toBe(0);
  });

  it('has links of consumers that lead to a trace', async () => {
    const { orphans, consumers } =
      await day.row(`SELECT count(*) FILTER (WHERE NOT EXISTS (SELECT FROM span AS sender WHERE sender.trace = span.linked)) AS orphans, count(*) AS consumers
      FROM span WHERE kind = 'consumer' AND before > 2`);
    expect(consumers).toBeGreaterThan(10_000);
    expect(orphans).toBe(0);
  });

  it('samples of a statement match the time that its spans take, within the error of sampling', async () => {
    const { id } = STATEMENTS.sailingsOfRoute;
    const { samples, seconds } =
      await day.row(`SELECT (SELECT count(*) FROM sample WHERE statement = '${id}' AND state = 'active') AS samples,
      (SELECT sum(ms - 0.2) / 1000 FROM span WHERE service = 'sailings' AND kind = 'client' AND name = 'SELECT sailing' AND ms > 4) AS seconds`);
    expect(Math.abs(samples - seconds)).toBeLessThan(4 * Math.sqrt(seconds) + 0.03 * seconds);
  });

  it('never uses more of a processor than there is', async () => {
    const { most, least } = await day.row(
      `SELECT max(value) AS most, min(value) AS least FROM point WHERE name IN ('system.cpu.utilization', 'system.disk.utilization')`,
    );
    expect(most).toBeLessThanOrEqual(1 + 1e-9);
    expect(least).toBeGreaterThanOrEqual(0);
  });

  it('obeys Little’s law in its pools: connections in use are arrivals times the time each is held', async () => {
    const law = async (service: string, held: string) => {
      const { ratio } = await day.row(`SELECT (${held}) / sum(value) AS ratio FROM point
        WHERE name = 'db.client.connection.used' AND of LIKE '${service}-%'`);
      expect(ratio).toBeGreaterThan(0.95);
      expect(ratio).toBeLessThan(1.05);
    };
    // By what the pool itself measures, in seconds, of a service that also reads for itself.
    await law(
      'manifests',
      `(SELECT sum(value) / 60 FROM point WHERE name = 'db.client.connection.use_time.sum' AND of LIKE 'manifests-%')`,
    );
    // And by the spans of those who waited for a connection and those who worked with it.
    await law(
      'sailings',
      `WITH taken AS (SELECT trace, parent, before - ms / 60000 AS since FROM span WHERE service = 'sailings' AND name = 'acquire connection'),
        work AS (SELECT parent, max(ms / 60000 - before) AS until FROM span WHERE service = 'sailings' AND kind = 'client' AND name LIKE 'SELECT%' GROUP BY parent)
      SELECT sum(until + since) FROM taken JOIN work USING (parent)`,
    );
  });

  it('has several thousand different messages', async () => {
    const { bodies } = await day.row('SELECT count(DISTINCT body) AS bodies FROM log');
    expect(bodies).toBeGreaterThan(5_000);
  });
});
