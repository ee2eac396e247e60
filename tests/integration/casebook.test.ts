import { randomUUID } from 'node:crypto';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import * as Y from 'yjs';
import { caseText, putMember, readCase, removeMember, setCase } from '../../src/core/casebook/doc/caseDoc.ts';
import { PIN_KINDS, type PinKind } from '../../src/core/casebook/pin.ts';
import { caseFileSchema, handOverFileSchema } from '../../src/formats/casebook/caseSchema.ts';
import { evidenceSchema } from '../../src/formats/casebook/evidenceSchema.ts';
import { forgetDeletedCases } from '../../src/store/casebook/cases.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { dropOldDays } from '../../src/store/retention/retention.ts';
import { saveTrial } from '../../src/store/trials/trials.ts';
import type { Installation } from '../support/installation.ts';
import { HELD_LOCKS, installWithHours, windowOf } from '../support/made/companyHours.ts';
import { getJson, sendJson } from '../support/sending.ts';

const GIB = 1024 ** 3;
const { from: CALM, begins, ends, to } = HELD_LOCKS;
const iso = (ms: number) => new Date(ms).toISOString();
const WINDOW = Object.fromEntries(new URLSearchParams(windowOf(HELD_LOCKS)));
const ENTRY = 'PUT /bookings/{ref}';

let dusk: Installation;
beforeAll(async () => {
  dusk = await installWithHours(HELD_LOCKS);
  process.env.DATABASE_URL = dusk.cluster.url;
  await fetch(`${dusk.url}/api/journeys`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ journeys: [{ name: 'Change a booking', entries: [ENTRY] }] }),
  });
}, 900_000);
afterAll(async () => {
  await closeConnections();
  await dusk?.stop();
});

// biome-ignore lint/suspicious/noExplicitAny: answers are looked into freely, as those of `getJson`
const post = (path: string, body: object) => sendJson(dusk.url, path, body) as Promise<any>;
const get = (path: string, query: Record<string, string> = {}) =>
  getJson(dusk.url, Object.keys(query).length > 0 ? `${path}?${new URLSearchParams(query)}` : path);
const refused = async (path: string, body: object) => {
  const answer = await fetch(`${dusk.url}${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  return [answer.status, ((await answer.json()) as { error?: string }).error ?? ''] as const;
};
const newCase = async (more: object = {}): Promise<number> => (await post('/api/casebook', { by: 'Ines Halloran', ...more })).id;
const pinned = (id: number, pin: object) =>
  post(`/api/casebook/${id}/pins`, { by: 'Ines Halloran', pin: { path: '/now', page: 'Now', ...pin } });

/** A tab that has a case open. */
async function opened(id: number, by = 'Jory Penn') {
  const first = await get(`/api/casebook/${id}`);
  const doc = new Y.Doc();
  Y.applyUpdate(doc, Buffer.from(first.doc, 'base64'));
  const origin = randomUUID();
  let after: number = first.sequence;
  const send = async (change: (doc: Y.Doc) => void) => {
    const had = Y.encodeStateVector(doc);
    change(doc);
    const update = Buffer.from(Y.encodeStateAsUpdate(doc, had)).toString('base64');
    return post(`/api/casebook/${id}/changes`, { update, origin, by });
  };
  const receive = async () => {
    const found = await get(`/api/casebook/${id}/changes`, { after: String(after), origin, by });
    for (const update of found.updates) Y.applyUpdate(doc, Buffer.from(update, 'base64'));
    after = found.sequence;
    return found;
  };
  return { doc, send, receive, content: () => readCase(doc) };
}

/** What pages ask for each kind of pin; worked out from what is stored. */
async function askedPins(): Promise<
  Record<PinKind, { query: Record<string, string>; part?: Record<string, string>; given?: object[] }>
> {
  const traces = await get('/api/traces', { from: iso(begins), to: iso(ends), entry: ENTRY, sort: '-duration', limit: '1' });
  const { traceId } = traces.traces[0];
  const { spans } = await get(`/api/traces/${traceId}`);
  const server = await get('/api/databases/manifest-db', WINDOW);
  const statement = server.cuts.find((it: { dimension: string }) => it.dimension === 'statement').rows[0].value;
  const withPlan = (
    await Promise.all(
      server.cuts
        .find((it: { dimension: string }) => it.dimension === 'statement')
        .rows.slice(0, 8)
        .map(async ({ value }: { value: string }) => [
          value,
          await get(`/api/databases/manifest-db/statements/${value}`, WINDOW),
        ]),
    )
  ).find(([, it]) => it.plans.length > 0)?.[0];
  const { lines } = await get('/api/logs/lines', { ...WINDOW, severity: 'error', limit: '20' });
  const { pools } = await get('/api/pools', WINDOW);
  const { hosts } = await get('/api/machines/hosts', WINDOW);
  const { services } = await get('/api/code/profile', WINDOW);
  const { visits, app } = await get('/api/visitors/visits', WINDOW);
  const trial = await keptTrial(statement);
  const { places } = await get('/api/code/running', { ...WINDOW, to: iso(ends - 60_000) });
  const running = places
    .flatMap((it: { requests: { traceId: string; of: number }[] }) => it.requests)
    .find((it: { of: number }) => it.of > 0).traceId;
  const service = { ...WINDOW, name: 'manifests' };
  const ofServer = { ...WINDOW, name: 'manifest-db' };
  return {
    journey: { query: WINDOW, part: { name: 'Change a booking' } },
    requests: { query: { from: WINDOW.from, to: WINDOW.to } },
    service: { query: service },
    operations: { query: service },
    measures: { query: service },
    failures: { query: WINDOW },
    starts: { query: WINDOW },
    trace: { query: { traceId } },
    span: { query: { traceId, spanId: spans[0].spanId } },
    ledger: { query: { traceId } },
    comparison: { query: { ...WINDOW, traceId, with: 'before' } },
    contrast: { query: { ...WINDOW, how: 'slow' } },
    lines: { query: { ...WINDOW, severity: 'error', limit: '20' } },
    line: { query: { line: lines[0].id } },
    shapes: { query: WINDOW },
    groups: { query: WINDOW },
    databases: { query: WINDOW },
    load: { query: ofServer },
    blocking: { query: { name: 'manifest-db', at: iso(server.moment.at) } },
    statement: { query: { ...ofServer, statementId: statement } },
    plan: { query: { ...ofServer, statementId: withPlan ?? statement } },
    trial: { query: { id: trial } },
    pool: { query: { ...WINDOW, service: pools[0].service, pool: pools[0].name } },
    running: { query: { ...WINDOW, to: iso(ends - 60_000) } },
    stack: { query: { ...WINDOW, to: iso(ends - 60_000), traceId: running } },
    profile: { query: { ...WINDOW, service: services[0].service } },
    findings: { query: WINDOW },
    layers: { query: WINDOW },
    host: { query: { ...WINDOW, name: hosts[0].name } },
    pods: { query: WINDOW },
    pages: { query: { ...WINDOW, app } },
    visit: { query: { from: WINDOW.from, to: WINDOW.to, session: visits[0].session } },
    steps: { query: { ...WINDOW, app } },
    crashes: { query: { ...WINDOW, app } },
    checks: { query: WINDOW },
    picture: { query: WINDOW, given: [{ form: 'text', title: 'drawn', text: 'as it was' }] },
    table: { query: WINDOW, given: [{ form: 'facts', title: 'drawn', facts: [['a', 'b']] }] },
  };
}

async function keptTrial(statementId: string): Promise<string> {
  const tried = (key: string, words: string, ms: number) => ({
    key,
    kinds: [],
    words,
    why: [],
    proof: 'always' as const,
    text: 'SELECT 1',
    commands: [],
    settings: {},
    first: null,
    runs: [ms, ms + 1],
    verdict: { is: 'better' as const, chance: 0.001 },
    rows: null,
    blocks: null,
    workMs: null,
    cost: 1,
    planningMs: null,
    plan: '[]',
    index: null,
  });
  const id = randomUUID();
  await saveTrial({
    id,
    server: 'manifest-db',
    statementId,
    text: 'SELECT 1',
    begun: begins,
    ended: begins + 1,
    phase: 'done',
    words: '',
    progress: { done: 1, of: 1, secondsLeft: null },
    valueSets: [],
    original: { ...tried('original', '', 900), verdict: null },
    alternatives: [tried('index', 'an index on sailing', 9)],
    leftOut: [],
    how: { address: '', isCopy: true, runs: 2, limitMs: null, warnings: [], looked: 1 },
  } as Parameters<typeof saveTrial>[0]);
  return id;
}

/** The incident of these hours: they are looked through as if they were now. */
async function anIncident() {
  const client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
  const { rows: operations } = await client.query(`SELECT id FROM operation WHERE name = $1 AND service = 'gangway'`, [ENTRY]);
  const minute = Math.floor(begins / 60_000);
  const shift = {
    series: `operation:${operations[0].id}`,
    measure: 'failures',
    before: 0,
    after: 0.87,
    firstMinute: minute,
    lastMinute: minute + 29,
    evidence: 40,
  };
  const { rows } = await client.query(
    `INSERT INTO incident (source, rule_id, first_minute, last_minute, found_minute, shifts) VALUES ('shift', '', $1, $2, $3, $4) RETURNING id`,
    [minute, minute + 29, minute + 4, JSON.stringify([shift])],
  );
  await client.end();
  const { incidents } = await get('/api/incidents', { from: iso(begins), to: iso(to) });
  return incidents.find((it: { id: number }) => it.id === rows[0].id);
}

/** All spans as they are exported, with what the impact is of. */
async function exportedSpans() {
  const text = await (await fetch(`${dusk.url}/api/export/traces?from=${iso(CALM)}&to=${iso(to + 60_000)}`)).text();
  return text
    .split('\n')
    .filter((line) => line !== '')
    .flatMap((line) => JSON.parse(line).resourceSpans)
    .flatMap((it) => it.scopeSpans)
    .flatMap((it) => it.spans)
    .map((span) => ({
      traceId: span.traceId as string,
      name: span.name as string,
      parentSpanId: span.parentSpanId as string | undefined,
      start: Number(BigInt(span.startTimeUnixNano) / 1_000_000n),
      ns: Number(BigInt(span.endTimeUnixNano) - BigInt(span.startTimeUnixNano)),
      failed: span.status?.code === 2,
      user: span.attributes.find((it: { key: string }) => it.key === 'enduser.id')?.value.stringValue as string | undefined,
    }));
}

describe('a case of an incident', () => {
  it('has its time, what moved and pins that show it; both refer to each other', async () => {
    const incident = await anIncident();
    const { id, notPinned } = await post('/api/casebook', { by: 'Ines Halloran', incident: incident.id });
    expect(notPinned).toEqual([]);
    const { content, pins } = await get(`/api/casebook/${id}`);
    expect(content).toMatchObject({
      title: incident.title,
      since: incident.from,
      keptBy: 'Ines Halloran',
      incidents: [incident.id],
    });
    expect(pins.map(({ kind }: { kind: string }) => kind)).toEqual(['journey', 'starts']);
    const texts = content.entries.map(({ text }: { text: string }) => text);
    expect(texts.filter((text: string) => text.startsWith('Found by itself: '))).toHaveLength(1);
    // What changed shortly before stands before it.
    expect(texts[0]).toMatch(/season/i);
    expect(content.entries.map(({ at }: { at: number }) => at)).toEqual(
      content.entries.map(({ at }: { at: number }) => at).sort((a: number, b: number) => a - b),
    );
    expect(content.hypotheses).toMatchObject([{ standing: 'open', for: [pins[1].id] }]);
    expect(content.hypotheses[0].text).toMatch(/starts? at manifest/);
    const { cases } = await get('/api/casebook', { incident: String(incident.id) });
    expect(cases.map((it: { id: number }) => it.id)).toContain(id);
  });

  it('of no incident, or with a window that ends before it begins, is refused with words', async () => {
    expect(await refused('/api/casebook', { by: '', incident: 999_999 })).toEqual([404, 'No incident 999999 is stored.']);
    expect((await refused('/api/casebook', { by: '', where: 'entry isnt that' }))[0]).toBe(400);
    expect(
      (await refused('/api/casebook/999999/pins', { by: '', pin: { kind: 'starts', path: '/map', query: WINDOW } }))[0],
    ).toBe(404);
    expect((await refused('/api/casebook/files', { by: '', file: { format: 'lantern.case' } }))[1]).toMatch(/^This is no case: /);
  });
});

describe('the impact', () => {
  it('is what counting the exported requests again gives', async () => {
    const id = await newCase({ since: begins, until: to, where: `entry is ${ENTRY}` });
    const { impact, journeys, isStored } = await get(`/api/casebook/${id}/impact`);
    expect([journeys, isStored]).toEqual([['Change a booking'], true]);
    const [row] = (await get('/api/now', { from: iso(begins), to: iso(to), where: `entry is ${ENTRY}` })).journeys;
    const spans = await exportedSpans();
    const roots = spans.filter(
      ({ name, parentSpanId, start }) => name === ENTRY && !parentSpanId && start >= begins && start < to,
    );
    expect(impact.requests).toBe(roots.length);
    expect(impact.failed).toBe(roots.filter(({ failed }) => failed).length);
    expect(impact.failed).toBeGreaterThan(10);
    // Whose request it was may be told by any of its spans.
    const users = new Map(spans.flatMap(({ traceId, user }) => (user ? [[traceId, user]] : [])));
    const harmed = roots.filter(({ failed, ns }) => failed || ns > row.before.p99Ns);
    expect(impact.people).toBe(new Set(harmed.flatMap(({ traceId }) => users.get(traceId) ?? [])).size);
  });

  it('of a calm time is nothing, of an unknown time not known, and a figure set by hand stands in the hand-over', async () => {
    const calm = await newCase({ since: CALM + 20 * 60_000, until: CALM + 30 * 60_000 });
    expect((await get(`/api/casebook/${calm}/impact`)).impact).toMatchObject({ people: 0, failed: 0, waitingNs: 0 });
    const ofVisits = await opened(calm);
    await ofVisits.send((doc) => setCase(doc, { countsRequests: false }));
    expect((await get(`/api/casebook/${calm}/impact`)).impact).toBeNull();
    await ofVisits.send((doc) => setCase(doc, { countsRequests: true }));
    const unknown = await newCase();
    expect(await get(`/api/casebook/${unknown}/impact`)).toMatchObject({ impact: null, isStored: false });
    const tab = await opened(calm);
    await tab.send((doc) => setCase(doc, { until: CALM + 31 * 60_000 }));
    await tab.send((doc) => (doc.getMap('case').get('impact') as Y.Map<number>).set('people', 12));
    const handOver = await get(`/api/casebook/${calm}/hand-over`, { format: 'json' });
    expect([handOver.impact.people, handOver.impactSet]).toEqual([12, ['people']]);
  });
});

describe('several people in one case', () => {
  it('see what each other writes, and none of it is lost', async () => {
    const id = await newCase({ title: 'Together' });
    const [ines, jory] = [await opened(id, 'Ines Halloran'), await opened(id, 'Jory Penn')];
    await Promise.all(
      Array.from({ length: 12 }, (_, at) =>
        (at % 2 === 0 ? ines : jory).send((doc) => {
          caseText(doc, 'notes')!.insert(0, `[${at}]`);
          putMember(doc, 'entries', { id: `e${at}`, at, page: '', text: `entry ${at}`, pins: [], by: '' });
        }),
      ),
    );
    const found = await ines.receive();
    await jory.receive();
    expect(found.here).toEqual([]);
    expect(ines.content()).toEqual(jory.content());
    expect(ines.content()).toEqual((await get(`/api/casebook/${id}`)).content);
    for (let at = 0; at < 12; at++) expect(ines.content().notes).toContain(`[${at}]`);
    expect(ines.content().entries).toHaveLength(12);
    expect((await jory.receive()).here).toEqual(['Ines Halloran']);
  });

  it('and the same change twice changes nothing; one that is none is refused and loses nothing', async () => {
    const id = await newCase({ title: 'Twice' });
    const tab = await opened(id);
    const had = Y.encodeStateVector(tab.doc);
    caseText(tab.doc, 'notes')!.insert(0, 'once');
    const update = Buffer.from(Y.encodeStateAsUpdate(tab.doc, had)).toString('base64');
    const first = await post(`/api/casebook/${id}/changes`, { update, origin: 'a', by: '' });
    expect(await post(`/api/casebook/${id}/changes`, { update, origin: 'b', by: '' })).toEqual(first);
    const broken = Buffer.from([9, 9, 9, 9]).toString('base64');
    expect(await refused(`/api/casebook/${id}/changes`, { update: broken, origin: '', by: '' })).toEqual([
      400,
      'The change is no update of a document.',
    ]);
    expect((await get(`/api/casebook/${id}`)).content.notes).toBe('once');
  });

  it('are given the document whole when they were away for longer than changes are stored', async () => {
    const id = await newCase({ title: 'Away' });
    const [away, here] = [await opened(id), await opened(id)];
    for (let at = 0; at < 3; at++) await here.send((doc) => caseText(doc, 'notes')!.insert(0, `${at}`));
    const client = new pg.Client({ connectionString: dusk.cluster.url });
    await client.connect();
    await client.query('DELETE FROM casebook_change WHERE case_id = $1 AND sequence < 3', [id]);
    await client.end();
    expect((await away.receive()).whole).toBe(true);
    expect(away.content().notes).toBe('210');
  });

  it('cannot fill the store: a document has a bound, and so have the pins of a case', async () => {
    const id = await newCase({ title: 'Full' });
    const tab = await opened(id);
    await tab.send((doc) => caseText(doc, 'notes')!.insert(0, 'x'.repeat(1_000_000)));
    await tab.send((doc) => caseText(doc, 'helped')!.insert(0, 'y'.repeat(1_000_000)));
    await expect(tab.send((doc) => caseText(doc, 'words')!.insert(0, 'z'.repeat(1_000_000)))).rejects.toThrow(/more than 2 MiB/);
    const huge = { form: 'text', title: 'huge', text: 'x'.repeat(400_000) };
    expect(
      (
        await refused(`/api/casebook/${id}/pins`, {
          by: '',
          pin: { kind: 'picture', path: '/now', query: WINDOW, given: [huge, huge, huge] },
        })
      )[1],
    ).toMatch(/^The copy would take \d+ KiB/);
    const client = new pg.Client({ connectionString: dusk.cluster.url });
    await client.connect();
    const { rows } = await client.query(
      'SELECT coalesce(sum(octet_length(body)), 0)::int AS bytes FROM casebook_change WHERE case_id = $1',
      [id],
    );
    await client.end();
    // What others may have missed is kept up to a bound; beyond it they are given the document whole.
    expect(rows[0].bytes).toBeLessThanOrEqual(2 ** 20);
    const large = { form: 'text', title: 'large', text: 'x'.repeat(450_000) };
    let said = '';
    for (let pins = 0; said === '' && pins < 25; pins++)
      said = (
        await refused(`/api/casebook/${id}/pins`, {
          by: '',
          pin: { kind: 'picture', path: '/now', query: WINDOW, given: [large, large] },
        })
      )[1];
    expect(said).toBe('The pins of this case would take more than 16 MiB. Begin another case.');
  });
});

describe('the history', () => {
  it('says who changed what, and a case can be returned to any of it', async () => {
    const id = await newCase({ title: 'First' });
    const ines = await opened(id, 'Ines Halloran');
    await ines.send((doc) => caseText(doc, 'title')!.insert(5, ' title'));
    const jory = await opened(id, 'Jory Penn');
    await jory.send((doc) => putMember(doc, 'asked', { id: 'q', order: 1, text: 'Please' }));
    await jory.send((doc) => setCase(doc, { state: 'closed' }));
    const { versions } = await get(`/api/casebook/${id}/history`);
    expect(versions.map(({ by, words }: { by: string; words: string }) => [by, words])).toEqual([
      ['Jory Penn', 'now closed; 1 request to the team added'],
      ['Ines Halloran', 'the title changed'],
      ['Ines Halloran', 'begun'],
    ]);
    const old = await get(`/api/casebook/${id}/history/${versions[1].sequence}`);
    expect(old.content).toMatchObject({ title: 'First title', state: 'open', asked: [] });
    await post(`/api/casebook/${id}/history/return`, { version: versions[1].sequence, by: 'Ines Halloran' });
    await jory.receive();
    expect(jory.content()).toMatchObject({ title: 'First title', state: 'open', asked: [] });
    expect((await get(`/api/casebook/${id}/history`)).versions).toHaveLength(4);
  });
});

describe('the trail', () => {
  it('keeps pages in the order they were looked at, each once in a row', async () => {
    const id = await newCase();
    const step = (path: string, by = 'Ines Halloran') => post(`/api/casebook/${id}/steps`, { path, title: path, by });
    await step('/now');
    await step('/now');
    await step('/map?last=60min');
    await step('/now');
    const { steps } = await get(`/api/casebook/${id}/steps`);
    expect(steps.map(({ path }: { path: string }) => path)).toEqual(['/now', '/map?last=60min', '/now']);
    expect((await refused(`/api/casebook/${id}/steps`, { path: '//evil.example/', title: '', by: '' }))[0]).toBe(400);
  });
});

describe('the hand-over', () => {
  it('leads back to the windows of its figures, and its links begin where the application is reached', async () => {
    const id = await newCase({ title: 'For you', since: begins });
    await pinned(id, {
      kind: 'starts',
      query: WINDOW,
      path: `/map?${windowOf(HELD_LOCKS)}`,
      page: 'Map',
      words: 'It *starts* here',
      hypothesis: 'manifest-db waits',
    });
    const handOver = await get(`/api/casebook/${id}/hand-over`, { format: 'json' });
    handOverFileSchema.parse(handOver);
    expect(handOver.figures[0]).toMatchObject({
      number: 1,
      link: `${dusk.url}/map?${windowOf(HELD_LOCKS)}`,
      scope: { from: Date.parse(WINDOW.from), to },
    });
    expect(handOver.figures[0].scope.before).toEqual({ from: CALM, to: begins - 5 * 60_000 });
    // What a page said is data: its marks are no Markdown.
    expect(handOver.log[0].text).toBe('It \\*starts\\* here');
    expect(handOver.hypotheses[0]).toMatchObject({ text: 'manifest-db waits', standing: 'open', for: [1] });
    const text = await (await fetch(`${dusk.url}/api/casebook/${id}/hand-over?zone=UTC`)).text();
    expect(text).toContain(`Since 3 May 2026 02:30:00 UTC, still going on.`);
    expect(text).toContain('## Evidence');
    expect((await fetch(`${dusk.url}/api/casebook/${id}/hand-over?zone=Nowhere/At`)).status).toBe(400);
    expect((await fetch(`${dusk.url}/api/casebook/${id}/hand-over?parts=everything`)).status).toBe(400);
    expect((await (await fetch(`${dusk.url}/api/casebook/schema/hand-over`)).json()).properties.figures).toBeDefined();
  });

  it('as a frozen view stays as it was while the case goes on, and ends when that is asked for', async () => {
    const id = await newCase({ title: 'Frozen title' });
    const { path, token } = await post(`/api/casebook/${id}/shares`, { by: '', origin: dusk.url });
    const tab = await opened(id);
    await tab.send((doc) => caseText(doc, 'title')!.insert(0, 'Later '));
    const answer = await fetch(`${dusk.url}${path}`);
    const html = await answer.text();
    expect(answer.headers.get('content-security-policy')).toContain("default-src 'none'");
    expect(html).toContain('Frozen title');
    expect(html).not.toContain('Later');
    await post(`/api/casebook/${id}/shares/removal`, { token });
    expect((await fetch(`${dusk.url}${path}`)).status).toBe(404);
    expect((await fetch(`${dusk.url}/casebook/read/${'a'.repeat(24)}`)).status).toBe(404);
  });
});

describe('similar cases', () => {
  it('are found by what their pins are about, with what helped then', async () => {
    const then = await newCase({ title: 'Season roll-over blocked changes' });
    const asked = { name: 'manifest-db', at: iso(ends - 120_000) };
    await pinned(then, { kind: 'blocking', query: asked });
    const tab = await opened(then);
    await tab.send((doc) => caseText(doc, 'helped')!.insert(0, 'The question was answered.'));
    const other = await newCase({ title: 'Elsewhere' });
    await pinned(other, { kind: 'pages', query: WINDOW });
    const now = await newCase({ title: 'Changes hang again' });
    await pinned(now, { kind: 'blocking', query: asked });
    const found = await get(`/api/casebook/${now}/similar`);
    expect(found.cases[0]).toMatchObject({ id: then, helped: 'The question was answered.' });
    expect(found.cases[0].shared).toContain('blocker:season-rollover');
    expect(found.cases.map((it: { id: number }) => it.id)).not.toContain(other);
  });
});

describe('a case as a file', () => {
  it('is read back as another case that says and shows the same', async () => {
    const id = await newCase({ title: 'To be moved', since: begins, until: ends });
    await pinned(id, { kind: 'starts', query: WINDOW });
    await get(`/api/casebook/${id}/impact`);
    const file = await get(`/api/casebook/${id}/file`);
    caseFileSchema.parse(file);
    const read = await post('/api/casebook/files', { by: 'Jory Penn', file });
    expect(read).toMatchObject({ pins: 1 });
    const [one, other] = [await get(`/api/casebook/${id}`), await get(`/api/casebook/${read.id}`)];
    const said = ({ content }: typeof one) => ({
      ...content,
      impact: 0,
      entries: content.entries.map(({ pins: _, ...it }: { pins: string[] }) => it),
    });
    expect(said(other)).toEqual(said(one));
    expect(other.pins[0].evidence).toEqual(one.pins[0].evidence);
    expect(other.content.entries[0].pins).toEqual([other.pins[0].id]);
    expect(other.pins[0].id).not.toBe(one.pins[0].id);
  });
});

describe('a deleted case', () => {
  it('can be taken back for a day, and is gone then with all that belongs to it', async () => {
    const id = await newCase({ title: 'Gone' });
    await pinned(id, { kind: 'starts', query: WINDOW });
    await post(`/api/casebook/${id}/removal`, { deleted: true });
    const lists = async () => {
      const { cases, deleted } = await get('/api/casebook');
      return [cases, deleted].map((list) => list.some((it: { id: number }) => it.id === id));
    };
    expect(await lists()).toEqual([false, true]);
    const tab = await opened(id);
    await expect(tab.send((doc) => removeMember(doc, 'entries', readCase(doc).entries[0].id))).rejects.toThrow(/was deleted/);
    await post(`/api/casebook/${id}/removal`, { deleted: false });
    expect(await lists()).toEqual([true, false]);
    expect((await get(`/api/casebook/${id}`)).content.entries).toHaveLength(1);
    await post(`/api/casebook/${id}/removal`, { deleted: true });
    await forgetDeletedCases(Date.now() + 23 * 3_600_000);
    expect(await lists()).toEqual([false, true]);
    await forgetDeletedCases(Date.now() + 25 * 3_600_000);
    await closeConnections();
    expect((await refused(`/api/casebook/${id}/removal`, { deleted: false }))[0]).toBe(404);
    const client = new pg.Client({ connectionString: dusk.cluster.url });
    await client.connect();
    for (const table of ['pin', 'change', 'version', 'step', 'share'])
      expect((await client.query(`SELECT 1 FROM casebook_${table} WHERE case_id = $1`, [id])).rows).toEqual([]);
    await client.end();
  });
});

describe('a pin of each kind', () => {
  it('shows what its page shows, follows the schema, and is the same when its raw data is no longer stored', async () => {
    const id = await newCase({ title: 'All of it', since: begins, until: ends });
    const asked = await askedPins();
    const notPinned: string[] = [];
    for (const [kind, pin] of Object.entries(asked)) {
      const [status, error] = await refused(`/api/casebook/${id}/pins`, { by: '', pin: { kind, path: '/now', ...pin } });
      if (status !== 200) notPinned.push(`${kind}: ${error}`);
    }
    expect(notPinned).toEqual([]);
    const { pins } = await get(`/api/casebook/${id}/pins`);
    expect(pins.map(({ kind }: { kind: string }) => kind).sort()).toEqual(Object.keys(PIN_KINDS).sort());
    for (const { kind, evidence, title } of pins) {
      expect([kind, evidence.length > 0, title !== '']).toEqual([kind, true, true]);
      for (const it of evidence) evidenceSchema.parse(it);
    }
    await get(`/api/casebook/${id}/impact`);
    const handOver = async () => {
      const { writtenAt: _, ...it } = await get(`/api/casebook/${id}/hand-over`, {
        format: 'json',
        parts: 'log,evidence,ruledOut,raw',
      });
      return it;
    };
    const before = await handOver();
    expect(before.figures).toHaveLength(pins.length);
    expect(before.impact.failed).toBeGreaterThan(0);

    const client = new pg.Client({ connectionString: dusk.cluster.url });
    await client.connect();
    for (const table of ['span_block', 'log_block', 'metric_block', 'profile_block'])
      await client.query(`UPDATE ${table} SET arrived = arrived - interval '500 days'`);
    await client.end();
    const days = { traces: 1, logs: 1, metrics: 1, profiles: 1 };
    await dropOldDays({ days, mostBytes: 20 * GIB });
    await closeConnections();
    expect((await get('/api/traces', { from: iso(CALM), to: iso(to) })).total).toBe(0);

    expect((await get(`/api/casebook/${id}/pins`)).pins).toEqual(pins);
    expect(await handOver()).toEqual(before);
    const late = await get(`/api/casebook/${id}/impact`);
    expect([late.isStored, late.impact]).toEqual([false, before.impact]);
  });
});
