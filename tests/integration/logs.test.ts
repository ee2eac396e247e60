import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ContrastMoved } from '../../src/api/contrast/moved.ts';
import type { OneLogLine } from '../../src/api/logs/line.ts';
import type { LogLine } from '../../src/api/logs/lines.ts';
import type { LineSeries } from '../../src/api/logs/series.ts';
import type { LogTail } from '../../src/api/logs/tail.ts';
import { SEVERITIES, type Severity } from '../../src/core/logs/severity.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { logs } from '../support/made/otlpSignals.ts';
import {
  askLines,
  askOverview,
  before,
  count,
  iso,
  LIT,
  lit,
  MINUTE,
  query,
  ROUTES,
  type Sent,
  sendLines,
  sent,
  sum,
  TRACE,
  textOf,
} from '../support/made/tideLines.ts';
import { getJson, sendJson } from '../support/sending.ts';

/* Log lines over the interface for programs: every count is held against a recount of what was sent. */

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  await sendLines(dusk.url);
});
afterAll(() => dusk?.stop());

const overview = (more = '') => askOverview(dusk.url, more);
const page = (more = '') => askLines(dusk.url, more);
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
  const body = `printer ${since % 1_000_000} is out of paper`;
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

it('hours that were counted before are counted again when a line comes late', async () => {
  const hour = Math.floor(LIT / (60 * MINUTE)) * 60 * MINUTE - 60 * 60 * MINUTE;
  const said = async () => {
    const window = `from=${iso(hour - 60 * MINUTE)}&to=${iso(hour + 3 * 60 * MINUTE)}`;
    const { buckets }: LineSeries = await getJson(dusk.url, `/api/logs/series?${window}&where=service%20is%20latecomer`);
    return buckets.map(({ at, counts }) => [(at - hour) / MINUTE, counts[SEVERITIES.indexOf('info')]]);
  };
  const send = (minute: number, number: number) =>
    sendJson(
      dusk.url,
      '/v1/logs',
      logs('latecomer', [{ atMs: hour + minute * MINUTE + number, severity: 9, text: `late ${number}` }]),
    );
  expect(await said()).toEqual([]);
  const written = new Map<number, number>();
  // In one hour, in the same minute, at its ends, and in the hours beside it.
  for (const [number, minute] of [20, 20, 0, 59, 60, -1].entries()) {
    await send(minute, number);
    written.set(minute, (written.get(minute) ?? 0) + 1);
    await until(
      said,
      (found) => found.length === written.size && sum(found.map(([, lines]) => lines)) === sum([...written.values()]),
    );
    expect(await said()).toEqual([...written].sort((a, b) => a[0] - b[0]));
  }
});
