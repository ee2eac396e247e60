import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ContrastMoved } from '../../src/api/contrast/moved.ts';
import type { OneLogLine } from '../../src/api/logs/line.ts';
import type { LogLine, LogLines } from '../../src/api/logs/lines.ts';
import type { LogOverview } from '../../src/api/logs/overview.ts';
import type { LineSeries } from '../../src/api/logs/series.ts';
import type { LogTail } from '../../src/api/logs/tail.ts';
import { findShifts } from '../../src/core/incidents/shifts.ts';
import { seriesId, seriesName, seriesPath } from '../../src/core/incidents/watchedSeries.ts';
import { SEVERITIES, type Severity } from '../../src/core/logs/severity.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { allWatched } from '../../src/store/dictionaries/dictionaries.ts';
import { ShapeRollup } from '../../src/store/rollups/watched/shapeRollup.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { logs } from '../support/made/otlpSignals.ts';
import { randomFrom } from '../support/made/random.ts';
import { getJson, sendJson } from '../support/sending.ts';

/* Log lines over the interface for programs: every count is held against a recount of what was sent. */

const MINUTE = 60_000;
const FROM = (Math.floor(Date.now() / MINUTE) - 100) * MINUTE;
/** Forty minutes before, forty lit. */
const LIT = FROM + 45 * MINUTE;
const TO = LIT + 40 * MINUTE;
const TRACE = 'aa7651916cd43dd8448eb211c80319c0';
const { below, oneOf } = randomFrom(19);

interface Sent {
  readonly service: string;
  readonly at: number;
  readonly severity: number;
  readonly text: string;
  readonly route: string;
  readonly traceId?: string;
}

const ROUTES = ['tern-marram', 'fennick-saltern', 'little-auk'];

const usual = (from: number): Sent[] =>
  Array.from({ length: 2_400 }, (_, number) => {
    const route = oneOf(ROUTES);
    const service = number % 3 === 0 ? 'tidewatch' : 'holds';
    const text =
      service === 'tidewatch'
        ? `window of ${route} read, ${below(300)} points`
        : number % 2 === 0
          ? `hold placed for OR${below(9)}C${10 + below(89)}E${below(9)}: ${below(9)} guests`
          : `hold released after ${below(4_000)} ms`;
    return { service, at: from + below(40 * MINUTE), severity: service === 'holds' ? 9 : 5, text, route };
  });

const sent: Sent[] = [
  ...usual(FROM),
  ...usual(LIT),
  ...Array.from({ length: 180 }, (_, number) => {
    const route = oneOf(ROUTES);
    return {
      service: 'tidewatch',
      at: LIT + 10 * MINUTE + below(30 * MINUTE),
      severity: 17,
      text: `met-relay.example answered 403 to window of ${route}: key k-0931 unknown`,
      route,
      ...(number === 0 && { traceId: TRACE }),
    };
  }),
];

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  for (const service of ['tidewatch', 'holds']) {
    const lines = sent.filter((it) => it.service === service);
    for (let from = 0; from < lines.length; from += 700)
      await sendJson(
        dusk.url,
        '/v1/logs',
        logs(
          service,
          lines.slice(from, from + 700).map(({ at, severity, text, route, traceId }) => ({
            atMs: at,
            severity,
            text,
            attributes: [{ key: 'ferry.route', value: { stringValue: route } }],
            ...(traceId && { traceId }),
          })),
        ),
      );
  }
});
afterAll(() => dusk?.stop());

const iso = (ms: number) => new Date(ms).toISOString();
const BEFORE = encodeURIComponent(`${iso(FROM)}/${iso(FROM + 40 * MINUTE)}`);
const query = (more = '') => `from=${iso(LIT)}&to=${iso(TO)}&before=${BEFORE}${more}`;
const overview = (more = '') => getJson(dusk.url, `/api/logs?${query(more)}`) as Promise<LogOverview>;
const page = (more = '') => getJson(dusk.url, `/api/logs/lines?${query(more)}`) as Promise<LogLines>;
const lit = sent.filter(({ at }) => at >= LIT);
const before = sent.filter(({ at }) => at < LIT);
const count = (of: readonly Sent[], fits: (it: Sent) => boolean) => of.filter(fits).length;
const textOf = ({ pieces }: Pick<LogOverview['shapes'][number], 'pieces'>) =>
  pieces.map((it) => (typeof it === 'string' ? it : '…')).join('');
const sum = (counts: readonly number[]) => counts.reduce((all, it) => all + it, 0);
/** All lines, page by page. */
async function allLines(more = ''): Promise<LogLine[]> {
  const lines: LogLine[] = [];
  let after = '';
  for (;;) {
    const found = await page(`${more}${after}`);
    lines.push(...found.lines);
    if (found.next === null) return lines;
    after = `&after=${found.next}`;
  }
}

describe('what is said', () => {
  it('is counted by severity and stretch as a recount says', async () => {
    const { severities, stepMs, total } = await overview();
    expect(total).toEqual({ lit: lit.length, before: before.length });
    const ranges = { error: [17, 20], info: [9, 12], debug: [5, 8] } as const;
    expect(severities.map(({ severity }) => severity)).toEqual(Object.keys(ranges));
    for (const it of severities) {
      const [least, most] = ranges[it.severity as keyof typeof ranges];
      const fits = (line: Sent) => line.severity >= least && line.severity <= most;
      const again = it.lit.map((_, at) => count(lit, (line) => fits(line) && Math.floor((line.at - LIT) / stepMs) === at));
      expect(it.lit).toEqual(again);
      expect(sum(it.before)).toBe(count(before, fits));
    }
  });

  it('is counted over all stored time, of the services alone that are asked for', async () => {
    const count = async (where: string) => {
      const { buckets, stepMs }: LineSeries = await getJson(dusk.url, `/api/logs/series?where=${encodeURIComponent(where)}`);
      for (const { at } of buckets) expect(at % stepMs).toBe(0);
      const total = (severity: Severity) => buckets.reduce((sum, { counts }) => sum + counts[SEVERITIES.indexOf(severity)], 0);
      return { error: total('error'), info: total('info'), debug: total('debug') };
    };
    const recount = (of: readonly Sent[]) => {
      const times = (severity: number) => of.filter((it) => it.severity === severity).length;
      return { error: times(17), info: times(9), debug: times(5) };
    };
    expect(await count('')).toEqual(recount(sent));
    expect(await count('service is tidewatch')).toEqual(recount(sent.filter(({ service }) => service === 'tidewatch')));
    expect(await count('service is tidewatch;service is holds')).toEqual(recount([]));
    // What needs the lines themselves does not apply.
    expect(await count('ferry.route is tern-marram')).toEqual(recount(sent));
  });

  it('is reduced to shapes, what is new first, each counted as it was sent', async () => {
    const { shapes } = await overview();
    expect(shapes.map(textOf).sort()).toEqual([
      'hold placed for …: … guests',
      'hold released after … ms',
      'met-relay.example answered … to window of …: key k-… unknown',
      'window of … read, … points',
    ]);
    const [first, ...others] = shapes;
    expect(first).toMatchObject({ state: 'new', severity: 'error', lit: 180, before: 0, services: ['tidewatch'] });
    for (const { state } of others) expect(['same', 'rare']).toContain(state);
    const released = shapes.find((it) => textOf(it).startsWith('hold released'))!;
    expect(released.lit).toBe(count(lit, ({ text }) => text.startsWith('hold released')));
    expect(released.before).toBe(count(before, ({ text }) => text.startsWith('hold released')));
  });

  it('says what never varies, and what does', async () => {
    const { shapes } = await overview();
    const [status, route, key] = shapes[0].holes;
    expect(status).toMatchObject({ distinct: 1, top: [{ value: '403', before: 0 }] });
    expect(route.top.map(({ value }) => value).sort()).toEqual([...ROUTES].sort());
    expect(key.top.map(({ value }) => value)).toEqual(['0931']);
  });

  it('has fields with their values, lit and before', async () => {
    const { fields } = await overview();
    const route = fields.find(({ field }) => field === 'ferry.route')!;
    for (const { value, lit: now, before: then } of route.top)
      expect([now, then]).toEqual([count(lit, (it) => it.route === value), count(before, (it) => it.route === value)]);
  });
});

describe('lines that are looked for', () => {
  const fitting = async (more: string) => (await overview(more)).total.lit;

  it('by words, phrases, what they must not have, and patterns', async () => {
    const ask = (text: string) => fitting(`&text=${encodeURIComponent(text)}`);
    expect(await ask('MET-RELAY')).toBe(180);
    expect(await ask('window read')).toBe(count(lit, ({ text }) => text.includes('window') && text.includes('read')));
    expect(await ask('"window of tern-marram"')).toBe(count(lit, ({ text }) => text.includes('window of tern-marram')));
    expect(await ask('window -met-relay')).toBe(count(lit, ({ text }) => text.includes('window') && !text.includes('met-relay')));
    expect(await ask('/after 3\\d{3} ms/')).toBe(count(lit, ({ text }) => /after 3\d{3} ms/.test(text)));
    // Across the edge of a value: the end of the literal text and the beginning of the value.
    expect(await ask('"after 3"')).toBe(count(lit, ({ text }) => text.includes('after 3')));
    expect(await ask('k-0931')).toBe(180);
    expect(await ask('nobody ever says this')).toBe(0);
  });

  it('have only the shapes that some of them are of', async () => {
    const { shapes } = await overview('&text=released');
    expect(shapes.map(textOf)).toEqual(['hold released after … ms']);
  });

  it('by severity, shape, service and attribute', async () => {
    expect(await fitting('&severity=error,fatal')).toBe(180);
    const { shapes } = await overview();
    expect(await fitting(`&shape=${shapes[0].id}`)).toBe(180);
    expect(await fitting(`&without=${shapes[0].id}`)).toBe(lit.length - 180);
    const where = (text: string) => fitting(`&where=${encodeURIComponent(text)}`);
    expect(await where('service is tidewatch')).toBe(count(lit, ({ service }) => service === 'tidewatch'));
    expect(await where('ferry.route is not tern-marram')).toBe(count(lit, ({ route }) => route !== 'tern-marram'));
    expect(await where('ferry.route contains AUK;service is holds')).toBe(
      count(lit, ({ route, service }) => route === 'little-auk' && service === 'holds'),
    );
  });

  it('are refused in words when they cannot be understood', async () => {
    for (const [more, words] of [
      ['&text=/(/', 'cannot be used'],
      ['&severity=loud', 'severity'],
      ['&shape=xyz', '16 hex digits'],
    ]) {
      const answer = await fetch(`${dusk.url}/api/logs?${query(more)}`);
      expect(answer.status).toBe(400);
      expect(((await answer.json()) as { error: string }).error).toContain(words);
    }
  });
});

describe('the lines', () => {
  it('come page by page, newest or oldest first, each once', async () => {
    const newest = await allLines('&limit=500');
    const oldest = await allLines('&limit=500&order=oldest');
    expect(newest.length).toBe(lit.length);
    expect(new Set(newest.map(({ id }) => id)).size).toBe(lit.length);
    const times = oldest.map(({ at }) => Date.parse(at));
    expect(times).toEqual([...lit.map(({ at }) => at)].sort((a, b) => a - b));
    expect(newest.map(({ at }) => Date.parse(at))).toEqual(times.toReversed());
    expect(oldest.map(({ text }) => text).sort()).toEqual(lit.map(({ text }) => text).sort());
  });

  it('have the fields that are asked for', async () => {
    const { lines } = await page('&fields=ferry.route,no.such&limit=50');
    for (const { fields, text } of lines) {
      expect(ROUTES).toContain(fields[0]);
      expect(fields[1]).toBeNull();
      if (text.includes('window of')) expect(text).toContain(`window of ${fields[0]}`);
    }
  });

  it('open whole, with their trace and what was written around them', async () => {
    const errors = await allLines('&severity=error');
    const traced = errors.filter(({ hasTrace }) => hasTrace);
    expect(traced.length).toBe(1);
    const line = (await getJson(dusk.url, `/api/logs/lines/${traced[0].id}`)) as OneLogLine;
    expect(line).toMatchObject({ traceId: TRACE, service: 'tidewatch', severityNumber: 17, body: traced[0].text });
    expect(line.around.some(({ id }) => id === traced[0].id)).toBe(true);
    const times = line.around.map(({ at }) => Date.parse(at));
    expect(times).toEqual([...times].sort((a, b) => a - b));
    expect(line.around.every(({ service }) => service === 'tidewatch')).toBe(true);
  });

  it('that are no longer there are said to be gone', async () => {
    expect((await fetch(`${dusk.url}/api/logs/lines/1-2-3`)).status).toBe(404);
    expect((await fetch(`${dusk.url}/api/logs/lines/x`)).status).toBe(400);
  });
});

it('a contrast names the message shapes of these services that are new or come more or less often', async () => {
  const moved = (await getJson(dusk.url, `/api/contrast/moved?${query('&of=tidewatch')}`)) as ContrastMoved;
  expect(moved.shapes.map(textOf)).toEqual(['met-relay.example answered … to window of …: key k-… unknown']);
  expect(moved.shapes[0]).toMatchObject({ state: 'new', before: 0, lit: 180 });
  const others = (await getJson(dusk.url, `/api/contrast/moved?${query('&of=holds')}`)) as ContrastMoved;
  expect(others.shapes).toEqual([]);
});

it('a line that comes is among those that are followed, and only once it is asked with what it fits', async () => {
  const since = Date.now();
  const body = `printer ${below(1e6)} is out of paper`;
  await sendJson(dusk.url, '/v1/logs', logs('kiosk', [{ atMs: Date.now(), severity: 13, text: body }]));
  const tail = (more: string) =>
    getJson(
      dusk.url,
      `/api/logs/tail?from=${iso(since - MINUTE)}&to=${iso(since + MINUTE)}&before=just&since=${since}${more}`,
    ) as Promise<LogTail>;
  const found = await until(
    () => tail(''),
    ({ lines }) => lines.length > 0,
  );
  expect(found.lines.map(({ text }) => text)).toEqual([body]);
  expect((await tail('&severity=error')).lines).toEqual([]);
});

it('hostile lines are held as they came, and a costly pattern stalls nothing', async () => {
  const hostile = [
    `${'a'.repeat(1_000_000)}!`,
    '\u001b[31mred\u001b[0m \u0000\u0007 bell',
    '\u202Egnp.exe \u2066turned',
    '<script>alert(1)</script> {{x}}',
    'first\n    at second (file.js:1:2)\n    at third',
    '',
  ];
  const at = LIT + 5 * MINUTE;
  await sendJson(
    dusk.url,
    '/v1/logs',
    logs(
      'stranger',
      hostile.map((body, index) => ({ atMs: at + index, severity: 9, text: body })),
    ),
  );
  const found = await until(
    () => page('&where=service%20is%20stranger&order=oldest'),
    ({ lines }) => lines.length === hostile.length,
  );
  expect(found.lines.slice(1).map(({ text }) => text)).toEqual(hostile.slice(1).map((it) => it.replace('\u0000', '\ufffd')));
  expect(found.lines[0]).toMatchObject({ isCut: true });
  const answer = await overview(`&where=service%20is%20stranger&text=${encodeURIComponent('/(a+)+b$/')}`);
  expect(answer.total.lit).toBe(0);
});

describe('what somebody decides about shapes', () => {
  const decide = async (body: object) => {
    const answer = await fetch(`${dusk.url}/api/logs/shapes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    return { status: answer.status, ...((await answer.json()) as { shapes?: string[]; error?: string }) };
  };
  const shapeOf = async (text: string) => {
    const found = (await overview()).shapes.find((it) => textOf(it) === text);
    if (!found) throw new Error(`no shape ${text}`);
    return found;
  };
  const read = 'window of … read, … points';

  it('tells lines apart by a value, in all that is stored, and takes it back', async () => {
    const shape = await shapeOf(read);
    const [route] = shape.holes;
    expect(route.top.map(({ value }) => value).sort()).toEqual([...ROUTES].sort());
    expect(await decide({ decide: 'apart', shape: shape.id, hole: 0, values: ['little-auk'] })).toMatchObject({ status: 200 });
    const auk = await shapeOf('window of little-auk read, … points');
    const isOf = (it: Sent) => it.severity === 5 && it.route === 'little-auk';
    expect([auk.lit, auk.before]).toEqual([count(lit, isOf), count(before, isOf)]);
    const rest = await shapeOf(read);
    expect([rest.lit, rest.toldApart]).toEqual([count(lit, (it) => it.severity === 5 && !isOf(it)), 1]);
    expect(auk.apartOf).toBe(read);
    const lines = await page(`&shape=${auk.id}&limit=50`);
    expect(lines.lines.length).toBe(50);
    expect(lines.lines.every((it) => it.shape === auk.id && /^window of little-auk read, \d+ points$/.test(it.text))).toBe(true);
    // What is left to vary has its own values.
    expect(lines.lines.every((it) => it.text.includes(`, ${it.values[0]} points`))).toBe(true);
    expect(await decide({ decide: 'as found', shape: auk.id })).toMatchObject({ status: 200, shapes: [shape.id] });
    expect((await shapeOf(read)).lit).toBe(shape.lit);
    // A link to it finds what it became.
    expect((await page(`&shape=${shape.id}&limit=1`)).lines.length).toBe(1);
  });

  it('counts shapes together, whatever their words, and takes it back', async () => {
    const [a, b] = [await shapeOf('hold released after … ms'), await shapeOf(read)];
    const together = await decide({ decide: 'together', shapes: [a.id, b.id] });
    expect(together).toMatchObject({ status: 200, shapes: [a.id] });
    const joint = await shapeOf('hold released after … ms');
    expect([joint.lit, joint.before]).toEqual([a.lit + b.lit, a.before + b.before]);
    expect(joint.joined).toEqual([read]);
    // The values are those of its own lines: the others have none there.
    expect(sum(joint.holes[0].top.map((it) => it.lit))).toBeLessThanOrEqual(a.lit);
    expect((await page(`&shape=${joint.id}&text=points&limit=1`)).lines.length).toBe(1);
    expect(await decide({ decide: 'together', shapes: [a.id, b.id] })).toMatchObject({
      status: 400,
      error: 'They are counted as one already.',
    });
    await decide({ decide: 'as found', shape: joint.id });
    expect([(await shapeOf('hold released after … ms')).lit, (await shapeOf(read)).lit]).toEqual([a.lit, b.lit]);
  });

  it('is refused in words when it cannot be', async () => {
    const { id } = await shapeOf(read);
    const refused = async (body: object, words: RegExp) => {
      const { status, error } = await decide(body);
      expect([status, error]).toEqual([400, expect.stringMatching(words)]);
    };
    await refused({ decide: 'apart', shape: id, hole: 0 }, /values are needed/);
    await refused({ decide: 'apart', shape: id, hole: 9, values: ['x'] }, /no such place|part of a word/);
    await refused({ decide: 'apart', shape: '0000000000000000', hole: 0, values: ['x'] }, /No message shape/);
    await refused({ decide: 'together', shapes: [id] }, /two are needed/);
    await refused({ decide: 'as found', shape: id }, /Nothing was decided/);
    await refused(
      { decide: 'apart', shape: id, hole: 0, values: Array.from({ length: 20 }, (_, n) => `r${n}\u0001`) },
      /control/,
    );
    expect(
      await decide({ decide: 'apart', shape: id, hole: 0, values: Array.from({ length: 20 }, (_, n) => `r${n}`) }),
    ).toMatchObject({
      status: 200,
    });
    await refused({ decide: 'apart', shape: id, hole: 0, values: ['one more'] }, /At most 20/);
    await decide({ decide: 'as found', shape: id });
  });
});

describe('the shape of an error', () => {
  it('is watched beside all lines of its service: a new one is a shift, from the minute in which it began', async () => {
    process.env.DATABASE_URL = dusk.cluster.url;
    const shapes = new ShapeRollup();
    const [first, last] = [FROM / MINUTE, TO / MINUTE - 1];
    expect(await shapes.refresh(first, last)).toBeGreaterThan(0);
    // Nothing has come since.
    expect(await shapes.refresh(first, last)).toBe(0);
    const watched = (await allWatched()).filter(({ kind }) => kind === 'shape');
    expect(watched.map(seriesName)).toEqual(['tidewatch “met-relay.example answered … to window of …: key k-… unknown”']);
    const series = shapes.series(seriesId(watched[0].key), first, last);
    const isOf = (it: Sent, minute: number) => it.service === 'tidewatch' && Math.floor(it.at / MINUTE) === minute;
    for (const [at, minute] of series.minutes.entries()) {
      const lines = sent.filter((it) => isOf(it, first + at));
      expect([minute?.calls ?? 0, minute?.failures ?? 0]).toEqual([lines.length, count(lines, (it) => it.severity === 17)]);
    }
    const [shift, ...others] = findShifts(series);
    expect(others).toEqual([]);
    const began = Math.min(...sent.filter((it) => it.severity === 17).map(({ at }) => at)) / MINUTE;
    expect(Math.abs(shift.firstMinute - began)).toBeLessThanOrEqual(2);
    expect(shift.usual).toBe(0);
    // It opens on its lines.
    const path = new URL(seriesPath(watched[0]), dusk.url);
    const { lines } = await page(`&shape=${path.searchParams.get('shape')}&limit=1`);
    expect(lines[0].text).toMatch(/^met-relay.example answered 403/);
    await closeConnections();
  });
});

describe('numbers that lines say', () => {
  const released = sent.filter(({ text }) => text.startsWith('hold released'));
  const numberOf = ({ text }: Sent) => Number(/\d+/.exec(text)![0]);

  it('are summed over time as they were sent, with the unit beside them', async () => {
    const shape = (await overview()).shapes.find((it) => textOf(it) === 'hold released after … ms')!;
    const answer = await getJson(dusk.url, `/api/logs/numbers?${query()}&of=${shape.id}&hole=0`);
    const own = released.filter(({ at }) => at >= LIT).map(numberOf);
    expect(answer.unit).toBe('ms');
    expect(answer.litWhole).toMatchObject({
      count: own.length,
      sum: sum(own),
      least: Math.min(...own),
      most: Math.max(...own),
    });
    const sorted = own.toSorted((a, b) => a - b);
    expect(Math.abs(answer.litWhole.p95 / sorted[Math.ceil(own.length * 0.95) - 1] - 1)).toBeLessThan(0.03);
    expect(sum(answer.lit.map((it: { count: number } | null) => it?.count ?? 0))).toBe(own.length);
    expect(answer.beforeWhole.count).toBe(released.length - own.length);
    expect(answer.noNumbers).toBe(0);
  });

  it('become a measure of the service that writes them, over all that is stored', async () => {
    const shape = (await overview()).shapes.find((it) => textOf(it) === 'hold released after … ms')!;
    const put = async (measures: object[]) => {
      const answer = await fetch(`${dusk.url}/api/logs/measures`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ measures }),
      });
      return { status: answer.status, said: await answer.json() };
    };
    const measure = { name: 'holds.release', unit: 'ms', shape: shape.id, hole: 0 };
    expect(await put([measure, measure])).toMatchObject({
      status: 400,
      said: { error: 'Two measures are called holds.release.' },
    });
    expect(await put([{ ...measure, hole: 7 }])).toMatchObject({ status: 400 });
    expect(await put([measure])).toMatchObject({ status: 200, said: { measures: [measure] } });
    const measured = async (service: string) =>
      (
        (await getJson(dusk.url, `/api/services/${service}/measures?${query()}`)).measures as {
          name: string;
          detail: string;
          unit: string;
          lines: { lit: [number, number][] }[];
        }[]
      ).filter(({ name }) => name === 'holds.release');
    const found = await measured('holds');
    expect(found.map(({ detail, unit }) => [detail, unit]).sort()).toEqual([
      ['lines', '{line}'],
      ['mean', 'ms'],
      ['p95', 'ms'],
    ]);
    const mean = found.find(({ detail }) => detail === 'mean')!.lines[0].lit;
    for (const [at, value] of mean.slice(0, 5)) {
      const own = released.filter((it) => it.at >= at && it.at < at + MINUTE).map(numberOf);
      expect(value).toBeCloseTo(sum(own) / own.length, 6);
    }
    expect(await measured('tidewatch')).toEqual([]);
    await put([]);
    expect(await measured('holds')).toEqual([]);
  });
});
