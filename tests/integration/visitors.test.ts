import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { OneVisit } from '../../src/api/visitors/visit.ts';
import { isApart } from '../../src/core/visits/funnel/isApart.ts';
import { encodeLogsProtobuf, type OutgoingLog } from '../../src/formats/otlp/record/encodeLogs.ts';
import { sendOtlp } from '../../src/formats/otlp/wire/send.ts';
import { watchOnce } from '../../src/server/watch/watch.ts';
import { dataFolder, type Installation, until } from '../support/installation.ts';
import { BLOCKED_PAGES, installWithHours, windowOf } from '../support/made/companyHours.ts';
import { getJson } from '../support/sending.ts';

/* What is said of visitors: an hour of the demo's company in which a script of others blocks the pages, counted again from an export. */

let dusk: Installation;
beforeAll(async () => {
  dusk = await installWithHours(BLOCKED_PAGES);
}, 900_000);
afterAll(() => dusk?.stop());

const WINDOW = windowOf(BLOCKED_PAGES);
const ask = (path: string, more: Record<string, string> = {}, window = WINDOW) =>
  getJson(dusk.url, `/api/visitors/${path}?${window}&${new URLSearchParams(more)}`);
const web = { app: 'quayside-web' };

/** An event of a visit as the export has it. */
interface Exported {
  readonly app: string;
  readonly session: string;
  readonly kind: string;
  readonly name: string;
  readonly page: string;
  readonly ms: number;
  readonly took: number;
  readonly effect: string;
  readonly order: number;
}

/** All events of visits, read from what the application exports. */
async function exported(): Promise<Exported[]> {
  const answer = await fetch(`${dusk.url}/api/export/logs`);
  expect(answer.status).toBe(200);
  const found: Exported[] = [];
  for (const line of (await answer.text()).split('\n').filter(Boolean))
    for (const { resource, scopeLogs } of JSON.parse(line).resourceLogs) {
      const app = resource.attributes.find(({ key }: { key: string }) => key === 'service.name').value.stringValue;
      for (const { logRecords } of scopeLogs)
        for (const { eventName, attributes, timeUnixNano } of logRecords) {
          if (eventName !== 'lantern.visit') continue;
          const value = (name: string, of = attributes) => {
            const it = of.find(({ key }: { key: string }) => key === name)?.value;
            return it?.stringValue ?? it?.doubleValue ?? it?.intValue ?? it?.boolValue;
          };
          const detail =
            attributes.find(({ key }: { key: string }) => key === 'lantern.visit.detail')?.value.kvlistValue?.values ?? [];
          found.push({
            app,
            session: value('session.id'),
            kind: value('lantern.visit.kind'),
            name: value('lantern.visit.name') ?? '',
            page: value('url.path') ?? '',
            ms: Number(BigInt(timeUnixNano) / 1_000n) / 1_000,
            took: Number(value('lantern.visit.duration_ms') ?? 0),
            effect: String(value('effect', detail) ?? ''),
            order: Number(value('lantern.visit.order')),
          });
        }
    }
  return found;
}

/** Events by session, in order of time. */
function bySession(events: readonly Exported[], app: string): Exported[][] {
  const found = new Map<string, Exported[]>();
  for (const it of events) if (it.app === app) found.set(it.session, [...(found.get(it.session) ?? []), it]);
  return [...found.values()].map((it) => it.sort((a, b) => a.ms - b.ms || a.order - b.order));
}

const lit = { from: BLOCKED_PAGES.begins - 300_000, to: BLOCKED_PAGES.to };
const isLit = (ms: number) => ms >= lit.from && ms < lit.to;
const p75 = (values: number[]) => [...values].sort((a, b) => a - b)[Math.ceil(0.75 * values.length) - 1];

describe('pages', () => {
  it('name the script that blocks, in figures that a count over the export has', async () => {
    const answer = await ask('pages', web);
    const events = (await exported()).filter(({ app }) => app === 'quayside-web');
    const views = events.filter(({ kind, ms }) => kind === 'page' && isLit(ms));
    expect(answer.whole.lit.views).toBe(views.length);
    expect(answer.whole.lit.ready.p75).toBe(p75(views.map(({ took }) => Math.round(took))));
    expect(answer.whole.lit.band).toMatchObject({ party: 'beacon-tags.example', script: 'https://beacon-tags.example/tag.js' });
    const { phases, readyMs, partyMs } = answer.whole.lit.band;
    expect(Object.values<number>(phases).reduce((sum, it) => sum + it, 0)).toBeCloseTo(readyMs, 6);
    expect(partyMs).toBeGreaterThan(0.7 * readyMs);
    expect(answer.whole.before.ready.p75).toBeLessThan(700);
    for (const { page, lit: own } of answer.pages) expect(own.views).toBe(views.filter((it) => it.page === page).length);
    const inp = events.filter(({ kind, name, ms }) => kind === 'vital' && name === 'INP' && isLit(ms));
    expect(answer.whole.lit.vitals.INP.p75).toBe(p75(inp.map(({ took }) => Math.round(took))));
    const { by, explains } = answer.facets.find(({ facet }: { facet: string }) => facet === 'version');
    expect(by).toBe('2.31');
    expect(explains).toBeGreaterThan(0.8);
    expect(answer.facets.find(({ facet }: { facet: string }) => facet === 'region').explains).toBeLessThan(0.25);
  });

  it('are those of the visitors that are asked for, and others where they are turned away', async () => {
    const only = async (who: string) => (await ask('pages', { ...web, who })).whole.lit.views as number;
    const all = await only('');
    const [tern, others] = [await only('region=Tern'), await only('!region=Tern')];
    expect(tern).toBeGreaterThan(20);
    expect(tern + others).toBe(all);
    expect(await only('page=%2Fsailings')).toBe(
      (await ask('pages', web)).pages.find(({ page }: { page: string }) => page === '/sailings').lit.views,
    );
    expect(await only('version=9.9')).toBe(0);
    const wrong = await fetch(`${dusk.url}/api/visitors/pages?${WINDOW}&who=nonsense`);
    expect([wrong.status, (await wrong.json()).error]).toEqual([400, expect.stringContaining('field=value')]);
  });
});

describe('the hours of the week', () => {
  it('are the full ones with enough loads, as a count over the export has them; of few no best and worst is named', async () => {
    const HOUR = 3_600_000;
    const loads = (await exported()).filter(({ app, kind, ms }) => app === web.app && kind === 'page' && ms < lit.to);
    const full = (hour: number) => (hour + 1) * HOUR <= lit.to;
    const byHour = new Map<number, number>();
    for (const { ms } of loads) byHour.set(Math.floor(ms / HOUR), (byHour.get(Math.floor(ms / HOUR)) ?? 0) + 1);
    const enough = [...byHour].filter(([hour, count]) => count >= 20 && full(hour)).map(([hour]) => hour);
    const answer = await ask('hours', web);
    expect(answer).toMatchObject({ app: web.app, hours: enough.length, extremes: null });
    expect(answer.since).toBe(enough.length === 0 ? null : Math.min(...enough) * HOUR);
    expect(enough.length).toBeGreaterThan(0);
  });
});

describe('what satisfies on one page', () => {
  const set = (page: string, ms: number | null, app = web.app) =>
    fetch(`${dusk.url}/api/visitors/targets`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json', origin: dusk.url },
      body: JSON.stringify({ app, page, ms }),
    });
  const targets = async (app = web.app) => (await getJson(dusk.url, `/api/visitors/targets?app=${app}`)).targets;

  it('counts for that page alone, is kept apart by application, and can be taken away', async () => {
    const before = await ask('pages', web);
    const [{ page }, other] = before.pages;
    const views = (await exported()).filter((it) => it.app === web.app && it.kind === 'page' && it.page === page && isLit(it.ms));
    const within = (most: number) => views.filter(({ took }) => Math.round(took) <= most).length;
    expect((await set(page, 300)).status).toBe(200);
    // Of the phone app's page of the same name nothing is said.
    expect((await set(page, 9_000, 'deck-app')).status).toBe(200);
    const after = await ask('pages', web);
    const own = after.pages.find((it: { page: string }) => it.page === page);
    expect(own).toMatchObject({ ownTarget: 300 });
    expect(own.lit.satisfied).toBe(within(300));
    expect(own.lit.tolerated).toBe(within(1_200) - within(300));
    expect(after.ownTargets).toBe(1);
    expect(after.pages.find((it: { page: string }) => it.page === other.page).lit.apdex).toBe(other.lit.apdex);
    expect(after.whole.lit.satisfied - before.whole.lit.satisfied).toBe(own.lit.satisfied - before.pages[0].lit.satisfied);
    expect((await set(page, null)).status).toBe(200);
    expect(await targets()).toEqual([]);
    expect(await targets('deck-app')).toEqual([{ page, ms: 9_000 }]);
    expect((await ask('pages', web)).whole.lit).toEqual(before.whole.lit);
  });

  it('set of many pages at once is lost of none, and has a bound', async () => {
    const pages = Array.from({ length: 40 }, (_, at) => `/quay/${at}`);
    const answers = await Promise.all(pages.map((page, at) => set(page, 500 + at)));
    expect(answers.map(({ status }) => status)).toEqual(pages.map(() => 200));
    expect((await targets()).map((it: { page: string }) => it.page).sort()).toEqual([...pages].sort());
    expect((await set('/quay/1', 50)).status).toBe(400);
    expect((await set('', 500)).status).toBe(400);
    await Promise.all(pages.map((page) => set(page, null)));
    expect(await targets()).toEqual([]);
  });
});

describe('signs of struggle', () => {
  it('are as many as presses of the export show', async () => {
    const { counts, elements } = (await ask('pages', web)) as {
      counts: { lit: { struggling: number } };
      elements: { sign: string; name: string; times: number }[];
    };
    const dead = bySession(await exported(), 'quayside-web').filter(
      (it) => isLit(it[0].ms) && it.some(({ kind, effect }) => kind === 'action' && effect === 'none'),
    );
    expect(dead.length).toBeGreaterThan(50);
    // Errors soon after a press count too, and are few.
    expect(counts.lit.struggling).toBeGreaterThanOrEqual(dead.length);
    expect(counts.lit.struggling - dead.length).toBeLessThan(0.1 * dead.length);
    expect(elements[0].name).toBe('search');
    const list = await ask('visits', { ...web, who: 'sign=no answer', order: 'struggle' });
    expect(list.total).toBe(dead.length);
    expect((await ask('visits', { ...web, order: 'waited' })).counts.before.struggling).toBeLessThan(5);
  });

  it('are watched: that visitors struggle is an incident of its own, and leads to their visits', async () => {
    await watchOnce(dusk.url, Math.floor(BLOCKED_PAGES.to / 60_000) - 1);
    const window = `from=${new Date(BLOCKED_PAGES.from).toISOString()}&to=${new Date(BLOCKED_PAGES.to).toISOString()}`;
    const { incidents } = await getJson(dusk.url, `/api/incidents?${window}`);
    const shifts = incidents.flatMap(
      (it: { shifts: { kind: string; owner: string; words: string; path: string }[] }) => it.shifts,
    );
    expect(shifts.find(({ kind }: { kind: string }) => kind === 'struggle')).toMatchObject({
      owner: 'quayside-web',
      words: expect.stringMatching(/^[\d.]+ % → \d+ % of views$/),
      path: '/visitors/visits?app=quayside-web',
    });
  });

  it('send notifications whose link opens the application and the window', async () => {
    const { sent } = await getJson(dusk.url, '/api/inbox');
    const links = sent
      .map(({ link }: { link: string }) => new URL(link))
      .filter(({ pathname }: URL) => pathname.startsWith('/visitors')) as URL[];
    expect(links.length).toBeGreaterThan(0);
    for (const { searchParams } of links) {
      expect(searchParams.get('app')).toMatch(/^(quayside-web|deck-app)$/);
      const [from, to] = ['from', 'to'].map((name) => Date.parse(searchParams.get(name) ?? ''));
      expect(from).toBeLessThan(BLOCKED_PAGES.to);
      expect(to).toBeGreaterThan(from);
      expect(Number(searchParams.get('incident'))).toBeGreaterThan(0);
    }
  });
});

describe('a case of that incident', () => {
  it('counts visits, as a count over the export does, and says what holds the pages up', async () => {
    await watchOnce(dusk.url, Math.floor(BLOCKED_PAGES.to / 60_000) - 1);
    const window = `from=${new Date(BLOCKED_PAGES.from).toISOString()}&to=${new Date(BLOCKED_PAGES.to).toISOString()}`;
    const { incidents } = (await getJson(dusk.url, `/api/incidents?${window}`)) as {
      incidents: { id: number; shifts: { kind: string }[] }[];
    };
    const incident = incidents.find(({ shifts }) => shifts.some(({ kind }) => kind === 'struggle'))!;
    const made = await fetch(`${dusk.url}/api/casebook`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', origin: dusk.url },
      body: JSON.stringify({ by: 'Ines', incident: incident.id }),
    });
    expect(made.status).toBe(200);
    const { id } = (await made.json()) as { id: number };
    const { content } = await getJson(dusk.url, `/api/casebook/${id}`);
    expect(content).toMatchObject({ countsRequests: false, visitsOf: 'quayside-web' });
    expect(content.hypotheses.map(({ text }: { text: string }) => text).join()).toMatch(
      /Pages of quayside-web wait [\d.]+ s more for a script of beacon-tags\.example/,
    );

    const { impact, journeys } = await getJson(dusk.url, `/api/casebook/impact?${WINDOW}&visitsOf=quayside-web`);
    const views = (await exported()).filter(({ app, kind }) => app === 'quayside-web' && kind === 'page');
    expect(journeys).toContain('/manifest');
    const own = views.filter(({ page }) => journeys.includes(page));
    const now = own.filter(({ ms }) => isLit(ms));
    expect(impact.requests).toBe(now.length);
    const mean = (values: readonly Exported[]) => values.reduce((sum, { took }) => sum + Math.round(took), 0) / values.length;
    const waiting = (journeys as string[]).map((page) => {
      const [lit, before] = [now, own.filter(({ ms }) => ms >= BLOCKED_PAGES.from && ms < BLOCKED_PAGES.begins - 300_000)].map(
        (all) => all.filter((it) => it.page === page),
      );
      return lit.length < 20 || before.length < 20 ? 0 : Math.max(0, mean(lit) - mean(before)) * lit.length;
    });
    expect(impact.waitingNs / 1e6).toBeCloseTo(
      waiting.reduce((sum, it) => sum + it, 0),
      -1,
    );
    expect(impact.people).toBeGreaterThan(20);
    expect(impact.people).toBeLessThanOrEqual(new Set(now.map(({ session }) => session)).size);

    const handOver = await (await fetch(`${dusk.url}/api/casebook/${id}/hand-over`)).text();
    expect(handOver).toContain('Visits of quayside-web.');
    expect(handOver).toContain('views went wrong');
  });
});

describe('steps', () => {
  it('are reached by as many as a count over the export says', async () => {
    const steps = ['search', 'hold places', 'pay and confirm'];
    const answer = await ask('steps', { ...web, steps: steps.map((it) => `action:${encodeURIComponent(it)}`).join('>') });
    const reached = [0, 0, 0];
    for (const events of bySession(await exported(), 'quayside-web')) {
      if (!isLit(events[0].ms)) continue;
      let [at, first] = [0, 0];
      for (const it of events) {
        if (at === steps.length || it.kind !== 'action' || it.effect === 'none' || it.name !== steps[at]) continue;
        if (at === 0) first = it.ms;
        else if (it.ms - first > 3_600_000) break;
        reached[at++]++;
      }
    }
    expect(reached[0]).toBeGreaterThan(100);
    expect(answer.lit.map((it: { reached: number }) => it.reached)).toEqual(reached);
    for (const { reached: here, wentOn, left } of answer.lit.slice(0, 2))
      expect(wentOn + Object.values<number>(left).reduce((sum, it) => sum + it, 0)).toBe(here);
    // What chance would make is not said to account for those who leave.
    for (const { group, apart, values } of answer.splits) {
      const own = values.find((it: { values: string[] }) => it.values.join() === group.join())?.lit;
      if (own) expect(apart).toBe(isApart({ reached: own.reached, left: own.reached - own.wentOn }, answer.lit[answer.at]));
    }
  });

  it('of a group, also by a fact that only these visits have, are those of its visits alone', async () => {
    const steps = 'action:search>action:hold%20places';
    const reached = (it: { reached: number }[]) => it.map((of) => of.reached);
    const { group, lit } = await ask('steps', { ...web, steps, group: 'party%20size=1' });
    const alone = await ask('steps', { ...web, steps, who: 'party%20size=1' });
    expect(reached(group.lit)).toEqual(reached(alone.lit));
    expect(group.lit[0].reached).toBeLessThan(lit[0].reached);
    expect(group.lit[0].reached + group.others[0].reached).toBe(lit[0].reached);
    const wrong = await fetch(`${dusk.url}/api/visitors/steps?${WINDOW}&group=nonsense`);
    expect(wrong.status).toBe(400);
  });

  it('are what most press when none are asked for; what cannot be read is refused', async () => {
    expect((await ask('steps', web)).steps.map(({ name }: { name: string }) => name).slice(0, 2)).toEqual([
      'search',
      'hold places',
    ]);
    const wrong = await fetch(`${dusk.url}/api/visitors/steps?${WINDOW}&steps=search`);
    expect(wrong.status).toBe(400);
  });
});

describe('one visit', () => {
  it('has who held the visitor up, and answers with where their time went in the company', async () => {
    const { visits } = await ask('visits', { ...web, order: 'waited' });
    const visit = (await ask(`visits/${visits[0].session}`, {}, WINDOW.replace(/&before=.*/, ''))) as OneVisit;
    expect(visit.account.reduce((sum, { us }) => sum + us, 0)).toBe(Math.round((visit.to - visit.from) * 1_000));
    expect(visit.account[0]).toMatchObject({ kind: 'third', party: 'beacon-tags.example' });
    for (const { serverMs, ledger, ms } of visit.answers) {
      expect(ledger.reduce((sum, { ns }) => sum + ns, 0)).toBe(Math.round(serverMs * 1e6));
      expect(ms).toBeGreaterThanOrEqual(serverMs - 0.01);
    }
    const answered = visit.answers[0];
    const { visit: back } = await getJson(
      dusk.url,
      `/api/traces/${answered.traceId}/spans/${(await getJson(dusk.url, `/api/traces/${answered.traceId}`)).spans[0].spanId}/beside?${WINDOW}`,
    );
    expect(back.session).toBe(visit.session);
  });

  it('that is not kept is said to be none', async () => {
    const answer = await fetch(`${dusk.url}/api/visitors/visits/nobody?${WINDOW.replace(/&before=.*/, '')}`);
    expect([answer.status, (await answer.json()).error]).toEqual([404, expect.stringContaining('nobody')]);
  });

  it('goes out as an archive and comes in again as a visit with the same load', async () => {
    const { visits } = await ask('visits', { ...web, order: 'waited' });
    const archive = await ask(`visits/${visits[0].session}/har`, {}, WINDOW.replace(/&before=.*/, ''));
    const file = join(dataFolder(), 'again.har');
    writeFileSync(file, JSON.stringify(archive));
    const { spawnSync } = await import('node:child_process');
    const done = spawnSync(
      'node',
      ['--import', 'tsx', 'src/server/commands/import.ts', file, '--to', dusk.url, '--service', 'again'],
      { encoding: 'utf8' },
    );
    expect(done.stderr).toContain('records');
    const again = await until(
      () => ask('visits', { app: 'again' }),
      (it) => it.total === 1,
    );
    expect(again.visits[0].views).toBe(archive.log.pages.length);
  });
});

describe('what comes late', () => {
  const at = BLOCKED_PAGES.begins + 600_000;
  const event = (session: string, afterMs: number, kind: string, name: string): OutgoingLog => ({
    resource: { 'service.name': 'late-app' },
    scope: { name: 'test', version: '1' },
    time: BigInt(at + afterMs) * 1_000_000n,
    severity: 0,
    body: null,
    event: 'lantern.visit',
    attributes: { 'session.id': session, 'lantern.visit.kind': kind, 'url.path': '/a', 'lantern.visit.name': name },
  });
  const send = (...events: OutgoingLog[]) => sendOtlp(dusk.url, 'logs', Buffer.from(encodeLogsProtobuf(events)));
  const late = () => ask('visits', { app: 'late-app' });

  it('joins its visit, though that began in an earlier stretch of time; sent again it counts once', async () => {
    await send(event('s1', 0, 'page', '/a'));
    expect((await late()).visits).toMatchObject([{ views: 1, actions: 0 }]);
    const pressed = event('s1', 25 * 60_000, 'action', 'pay');
    await send(pressed);
    await send(pressed);
    expect((await late()).visits).toMatchObject([{ views: 1, actions: 1, lastedMs: 25 * 60_000 }]);
    // What came before makes it begin earlier.
    await send(event('s1', -12 * 60_000, 'page', '/b'));
    expect((await late()).visits).toMatchObject([{ views: 2, actions: 1, lastedMs: 37 * 60_000 }]);
  });

  it('after half an hour of silence is another visit', async () => {
    await send(event('s2', 0, 'page', '/a'), event('s2', -31 * 60_000, 'page', '/a'));
    const { visits } = await ask(
      'visits',
      { app: 'late-app', who: 'session=s2' },
      `from=${new Date(at - 3_600_000).toISOString()}&to=${new Date(at + 3_600_000).toISOString()}`,
    );
    expect(visits.length).toBe(2);
  });
});

/** What one visitor did so long ago. */
function happened(app: string, session: string, agoMs: number, kind: string, name: string): OutgoingLog {
  return {
    resource: { 'service.name': app },
    scope: { name: 'test', version: '1' },
    time: BigInt(Date.now() - agoMs) * 1_000_000n,
    severity: 0,
    body: null,
    event: 'lantern.visit',
    attributes: { 'session.id': session, 'lantern.visit.kind': kind, 'url.path': '/a', 'lantern.visit.name': name },
  };
}

const sendEvents = (events: readonly OutgoingLog[]) => sendOtlp(dusk.url, 'logs', Buffer.from(encodeLogsProtobuf(events)));

describe('what is said of an application', () => {
  /** Visits that crashed and that struggled, as each page has them. */
  async function saidOf(app: string, window: string) {
    const { apps } = await ask('apps', {}, window);
    const glance = apps.find((it: { app: string }) => it.app === app).lit;
    const { counts, whole } = await ask('pages', { app }, window);
    const { versions, faults } = await ask('versions', { app }, window);
    const sum = (of: (it: { visits: number; crashed: number }) => number) =>
      versions.reduce(
        (all: number, { lit }: { lit: { visits: number; crashed: number } | null }) => all + (lit ? of(lit) : 0),
        0,
      );
    const totalOf = async (who: string) => (await ask('visits', { app, who }, window)).total as number;
    return {
      glance,
      faults,
      p75: [glance.p75, whole.lit.ready.p75],
      visits: [
        glance.visits,
        counts.lit.visits,
        sum(({ visits }) => visits),
        (await ask('steps', { app }, window)).counts.lit.visits,
        (await ask('parties', { app }, window)).counts.lit.visits,
        await totalOf(''),
      ],
      crashed: [glance.crashed, counts.lit.crashed, sum(({ crashed }) => crashed), await totalOf('fault=crash')],
      struggling: [glance.struggling, counts.lit.struggling, await totalOf('sign=any')],
    };
  }
  const alike = (values: readonly number[]) => expect([...new Set(values)]).toHaveLength(1);

  it('is the same on every page', async () => {
    const { visits, crashed, struggling, p75, glance } = await saidOf('quayside-web', WINDOW);
    for (const values of [visits, crashed, struggling, p75]) alike(values);
    expect(glance.visits).toBe(bySession(await exported(), 'quayside-web').filter(([first]) => isLit(first.ms)).length);
    expect(glance.struggling).toBeGreaterThan(20);
  });

  it('counts who crashed and not how often, also what happens after the end of the window to a visit that began in it', async () => {
    const HOUR = 3_600_000;
    await sendEvents([
      ...['calm', 'twice', 'late', 'outside'].map((session, at) =>
        happened('pier-app', session, [3, 2.5, 2.01, 1.9][at] * HOUR, 'page', '/a'),
      ),
      happened('pier-app', 'twice', 2.45 * HOUR, 'crash', 'row 0 of 0'),
      happened('pier-app', 'twice', 2.44 * HOUR, 'crash', 'row 0 of 0'),
      happened('pier-app', 'late', 1.99 * HOUR, 'crash', 'row 0 of 0'),
      happened('pier-app', 'outside', 1.89 * HOUR, 'crash', 'row 0 of 0'),
    ]);
    const at = (hoursAgo: number) => new Date(Date.now() - hoursAgo * HOUR).toISOString();
    const { visits, crashed, faults } = await saidOf('pier-app', `from=${at(3.2)}&to=${at(2)}&before=yesterday`);
    alike(visits);
    alike(crashed);
    expect([visits[0], crashed[0]]).toEqual([3, 2]);
    expect(faults).toMatchObject([{ kind: 'crash', times: 3, visits: 2 }]);
  });
});

it('visits that may still go on have not left: steps leave them out', async () => {
  await sendEvents([
    happened('live-app', 'left', 600_000, 'action', 'search'),
    happened('live-app', 'goes on', 60_000, 'action', 'search'),
    happened('live-app', 'done', 90_000, 'action', 'search'),
    happened('live-app', 'done', 30_000, 'action', 'pay'),
  ]);
  const window = `from=${new Date(Date.now() - 3_600_000).toISOString()}&to=${new Date(Date.now() + 60_000).toISOString()}&before=yesterday`;
  const { lit, underWay } = await ask('steps', { app: 'live-app', steps: 'action:search>action:pay' }, window);
  expect(lit.map(({ reached }: { reached: number }) => reached)).toEqual([2, 1]);
  expect(underWay).toBe(1);
});

describe('checks', () => {
  it('are shown beside the real visitors of their page', async () => {
    const { checks } = await ask('checks');
    const search = checks.find(({ name }: { name: string }) => name === 'Search a sailing');
    expect(search.lit.failed).toBeGreaterThan(0);
    expect(search.before.failed).toBe(0);
    expect(search.real.p75).toBe(
      (await ask('pages', web)).pages.find(({ page }: { page: string }) => page === '/sailings').lit.ready.p75,
    );
    expect(checks.find(({ name }: { name: string }) => name === 'Timetable answers')).toMatchObject({
      kind: 'address',
      lit: { failed: 0 },
    });
  });
});
