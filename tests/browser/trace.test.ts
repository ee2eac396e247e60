import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import type { Span } from '../../src/core/trace/span.ts';
import { toOtlpProfiles } from '../../src/formats/profile/tables.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { event, logs, second } from '../support/made/otlpSignals.ts';
import { makeSpan, makeSpans } from '../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../support/sending.ts';

const end = Math.floor(Date.now() / 60_000) * 60_000;
const LARGE = 'f'.repeat(32) as Span['traceId'];
const HOSTILE = 'e'.repeat(32) as Span['traceId'];
const FAILED = 'd'.repeat(32) as Span['traceId'];

let dusk: Installation;
let browser: Browser;
let slowest: string;
beforeAll(async () => {
  dusk = await install();
  const spans = simulateDay({ endMs: end, hours: 1.5, seed: 3, scale: 0.4 });
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000));
  // Two hundred steps one after the other, each asking a hundred times.
  const large = Array.from({ length: 20_001 }, (_, id) => {
    if (id === 0) return makeSpan({ id, from: 0, to: 20_200_000, name: 'roster' });
    const step = Math.floor((id - 1) / 100);
    const at = step * 100_000;
    if (id % 100 === 1)
      return makeSpan({ id, parent: 0, from: at, to: at + 99_000, name: `step ${step}`, service: `crew-${step % 9}` });
    const from = at + ((id - 1) % 100) * 900;
    return makeSpan({ id, parent: step * 100 + 1, from, to: from + 800, name: 'SELECT member', kind: 'client' });
  }).map((span) => ({ ...span, traceId: LARGE }));
  for (let from = 0; from < large.length; from += 5000) await sendSpans(dusk.url, large.slice(from, from + 5000));
  const hostile = makeSpan({
    id: 0,
    from: 0,
    to: 5_000_000,
    name: '<img src=x onerror="document.title=\'taken\'">',
    service: '<script>document.title="taken"</script>',
    attributes: { '"><script>document.title="taken"</script>': '</script><script>document.title="taken"</script>' },
  });
  await sendSpans(dusk.url, [{ ...hostile, traceId: HOSTILE }]);
  const failed = makeSpans(
    { id: 0, from: 0, to: 9_000_000, service: 'gangway', name: 'GET /sailings', kind: 'server', failed: true },
    { id: 1, parent: 0, from: 1_000_000, to: 8_000_000, service: 'tidewatch', name: 'window.get', failed: true },
    {
      id: 2,
      parent: 1,
      from: 2_000_000,
      to: 7_000_000,
      service: 'tidewatch',
      name: 'GET /marine',
      kind: 'client',
      failed: true,
      attributes: { 'server.address': 'met-relay.example', 'http.response.status_code': 503 },
    },
    { id: 5, parent: 4, from: 3_000_000, to: 4_000_000, service: 'fares', name: 'lost' },
  );
  await sendSpans(
    dusk.url,
    failed.map((span) => ({ ...span, traceId: FAILED })),
  );
  const holds: { service: string; traceId: string }[] = (await getJson(dusk.url, '/api/traces?limit=50&entry=POST%20/holds'))
    .traces;
  // Those from a kiosk begin there.
  slowest = holds.find(({ service }) => service === 'gangway')!.traceId;
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
const chosen = async () => (await text('[role=row][aria-selected=true] [role=gridcell]')).replace(/\n/g, ' ');
const rows = () => browser.driver.findElements(By.css('[role=row]'));

async function open(traceId: string, query = ''): Promise<void> {
  await browser.visit(`${dusk.url}/traces/${traceId}?last=60min${query}`);
  await browser.driver.wait(when.elementLocated(By.css('[role=treegrid] [role=row]')), 10_000);
  await browser.driver.wait(when.elementLocated(By.css('[aria-label=Span] dl')), 10_000);
}

describe('a slow trace', () => {
  it('says how long, where the time went, and how it stands among its like', async () => {
    await open(slowest);
    expect(await text('h1')).toMatch(/^gangway POST \/holds [\d.]+ s$/);
    const { ledger } = await getJson(dusk.url, `/api/traces/${slowest}`);
    expect(ledger[0]).toMatchObject({ party: 'berths', kind: 'own' });
    expect((await text('aside ul li')).replace(/\n/g, ' ')).toMatch(/^berths own code [\d.]+ s 9\d\.\d %$/);
    await until(
      () => text('main header'),
      (words) => /slower than all of [\d\u202f]+ like it; half take \d/.test(words),
    );
  });

  it('runs its thread through the rows', async () => {
    await open(slowest);
    const thread = await browser.driver.findElement(By.css('[data-part=thread]')).getAttribute('d');
    const { criticalPath } = await getJson(dusk.url, `/api/traces/${slowest}`);
    expect(thread!.split('L').length).toBeGreaterThan(criticalPath.length);
  });

  it('lights the stretches of a line of the ledger', async () => {
    await open(slowest);
    await browser.driver.findElement(By.css('aside ul li button')).click();
    const dim = await browser.driver.findElements(By.css('[role=row][data-dim=true]'));
    const bright = await browser.driver.findElements(By.css('[role=row][data-dim=false]'));
    expect(dim.length).toBeGreaterThan(5);
    const words = await Promise.all(bright.map((row) => row.getText()));
    expect(words.some((row) => row.includes('layout.solve'))).toBe(true);
  });

  it('opens a line of own code into its functions, by samples that its profiler took', async () => {
    await open(slowest);
    const own = await browser.driver.findElement(By.css('aside ul li button'));
    await own.click();
    const functions = '[aria-label="Own code of berths"]';
    await until(
      () => text(functions),
      (words) => /^No profiler took a sample in own code of berths here\./.test(words),
    );
    const timeline = await getJson(dusk.url, `/api/traces/${slowest}/timeline`);
    const at: number = timeline.spans.operation.findIndex((it: number) => timeline.operations[it] === 'layout.solve');
    const span = { traceId: slowest, spanId: timeline.spans.id[at] };
    const solve = { name: 'fitsAll', file: 'layout/solve.ts', line: 118 };
    const profile = {
      type: 'cpu',
      unit: 'nanoseconds',
      time: BigInt(Date.parse(timeline.start)) * 1_000_000n,
      durationNs: 60_000_000_000n,
      samples: Array.from({ length: 30 }, () => ({ frames: [solve], value: 10e6, span })),
    };
    await sendJson(
      dusk.url,
      '/v1development/profiles',
      toOtlpProfiles([{ resource: { 'service.name': 'berths' }, profiles: [profile] }]),
    );
    await open(slowest);
    await browser.driver.findElement(By.css('aside ul li button')).click();
    await until(
      () => text(functions),
      (words) =>
        /by 30 samples on the processor; a share of a half is within ± 18 %[\s\S]*fitsAll\s+layout\/solve\.ts:118/.test(words),
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('is walked by keyboard: rows, folds, the critical path, the inspector following', async () => {
    await open(slowest);
    // It begins at the span that most of the time went into.
    expect(await chosen()).toContain('layout.solve');
    await press(Key.HOME, 'j');
    expect(await chosen()).toContain('GET /sessions/{id}');
    await press(Key.ARROW_LEFT);
    expect((await browser.driver.findElements(By.css('[role=row][aria-expanded=false]'))).length).toBe(1);
    await press(Key.ARROW_RIGHT, Key.HOME);
    expect((await browser.driver.findElements(By.css('[role=row][aria-expanded=false]'))).length).toBe(0);
    for (let step = 0; step < 60 && !(await chosen()).includes('layout.solve'); step++) await press('.');
    expect(await chosen()).toContain('layout.solve');
    await until(
      () => text('[aria-label=Span]'),
      (words) => words.includes('deck.slots') && words.includes('4.7.0'),
    );
    await press('z');
    await until(
      () => text('main'),
      (words) => words.includes('whole time'),
    );
    // A menu takes Escape for itself; the page stays.
    await browser.driver.findElement(By.css('[aria-label="List of keys"]')).click();
    await browser.driver.wait(when.elementLocated(By.css('[role=dialog]')), 3000);
    await press(Key.ESCAPE);
    await until(
      async () => (await browser.driver.findElements(By.css('[role=dialog]'))).length,
      (count) => count === 0,
    );
    expect(await text('h1')).toContain('POST /holds');
    await press('0', Key.END);
    await until(chosen, (row) => !row.includes('layout.solve'));
  });

  it('opens at a span that the address names', async () => {
    const { spans } = await getJson(dusk.url, `/api/traces/${slowest}`);
    const solve = spans.find((span: { operation: string }) => span.operation === 'layout.solve');
    await open(slowest, `&span=${solve.spanId}`);
    expect(await chosen()).toContain('layout.solve');
  });

  it('has nothing that axe calls serious, in either scheme', async () => {
    await open(slowest);
    await until(
      () => text('main header'),
      (words) => words.includes('like it'),
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.findElement(By.css('[aria-label="Show on paper"]')).click();
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.findElement(By.css('[aria-label="Show at dusk"]')).click();
  });
});

describe('a trace in depth', () => {
  const button = (words: string) => browser.driver.findElement(By.xpath(`//main//button[normalize-space(.)="${words}"]`));

  it('says in words where the time went, each sentence a way to its span', async () => {
    await open(slowest);
    const sentence = browser.driver.findElement(By.css('[aria-label="In words"] button'));
    expect(await sentence.getText()).toMatch(/^[\d.]+ s of it is berths own code, most in layout\.solve$/);
    await press(Key.HOME);
    await sentence.click();
    await until(chosen, (row) => row.includes('layout.solve'));
    // The link that is copied leads there.
    expect(await browser.driver.getCurrentUrl()).toMatch(/[?&]span=[0-9a-f]{16}/);
    expect(await text('[aria-label=Span]')).toMatch(/× its usual [\d.]+ ms; slower than [\d.]+ % of [\d\u202f]+ like it/);
  });

  it('is searched, narrowed to services, given columns', async () => {
    await open(slowest);
    await press('s');
    await press('deck.slots');
    await until(
      () => text('[role=toolbar]'),
      (words) => /\d+, n next/.test(words),
    );
    await until(chosen, (row) => row.startsWith('berths'));
    await press(Key.ESCAPE);
    const all = (await rows()).length;
    await (await button('services')).click();
    await until(
      async () => (await rows()).length,
      (count) => count < all,
    );
    await (await button('spans')).click();
    await (await button('columns')).click();
    await (await browser.driver.wait(when.elementLocated(By.xpath('//*[@role="dialog"]//button[.="own time"]')), 3000)).click();
    await until(
      async () => (await browser.driver.findElements(By.css('[role=row]:first-of-type [role=gridcell]'))).length,
      (count) => count === 3,
    );
    await press(Key.ESCAPE);
  });

  it('shows its log between its spans', async () => {
    await open(slowest);
    await (await button('log')).click();
    const list = await browser.driver.wait(when.elementLocated(By.css('[aria-label="Spans and log records by time"]')), 3000);
    await until(
      () => list.getText(),
      (words) => words.includes('layout.solve'),
    );
    expect(await text('main')).toContain('No log record names this trace');
  });

  it('narrows to a value, and copies it', async () => {
    await open(slowest);
    const link = await browser.driver.wait(when.elementLocated(By.css('[aria-label^="Narrow to deck.slots"]')), 5000);
    expect(await link.getAttribute('href')).toMatch(/where=deck\.slots\+is\+\d+/);
  });

  it('is laid over the typical one', async () => {
    await open(slowest);
    await (await button('compare')).click();
    await (await browser.driver.wait(when.elementLocated(By.linkText('with the typical one lit')), 3000)).click();
    await until(
      () => text('h1'),
      (words) => /s longer, of which [\d.]+ s is berths own code/.test(words),
    );
    expect(await text('[role=table]')).toMatch(/layout\.solve/);
    expect(await text('aside')).toMatch(/berths own code\s+\+[\d.]+ s/);
    await browser.driver.findElement(By.xpath('//button[.="only what differs"]')).click();
    await until(
      async () => (await browser.driver.findElements(By.css('[role=table] [role=row]'))).length,
      (count) => count > 12,
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.navigate().back();
  });
});

describe('a span that waited for a lock', () => {
  it('says whose session held it, and what the visitor did who waited', async () => {
    const timeline = await getJson(dusk.url, `/api/traces/${slowest}/timeline`);
    const span: number = timeline.spans.operation.findIndex((it: number) =>
      /^(SELECT|UPDATE|INSERT) /.test(timeline.operations[it]),
    );
    const spanId: string = timeline.spans.id[span];
    const atMs = Date.parse(timeline.start) + Math.round(timeline.spans.startNs[span] / 1e6);
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('sampler of sailing-db', [
        second(
          atMs,
          'sailing-db',
          [
            {
              session: '7',
              state: 'active',
              blocked_by: ['9'],
              wait_class: 'Lock',
              statement_id: 'f7',
              traceparent: `00-${slowest}-${spanId}-01`,
            },
            { session: '9', state: 'idle in transaction', program: 'season-rollover', statement_id: 'f9' },
          ],
          {
            'lantern.db.statements': { f7: 'UPDATE deck_slot SET taken_by = $1', f9: 'UPDATE deck_slot SET season = $1' },
          },
        ),
      ]),
    );
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('deck-app', [
        event('lantern.visit', Date.parse(timeline.start), {
          'session.id': 'v1',
          'lantern.visit.kind': 'action',
          'url.path': '/sailings/choose',
          'lantern.visit.name': 'hold places',
          'lantern.visit.duration_ms': 6150,
          'lantern.visit.order': 1,
          'lantern.trace_id': slowest,
        }),
      ]),
    );
    await browser.visit(`${dusk.url}/traces/${slowest}?last=2h&span=${spanId}`);
    const inspector = () => browser.driver.findElement(By.css('section[aria-label=Span]')).getText();
    const words = await until(inspector, (it) => it.includes('Waited for') && it.includes('Began with'));
    expect(words).toMatch(/season-rollover session 9, idle in transaction; seen 1 time, waited for nobody/);
    expect(words).toContain('UPDATE deck_slot SET season = $1');
    expect(words).toContain('Began with “hold places” on /sailings/choose in a visit of deck-app, 6.15 s for the visitor');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('a failing and broken trace', () => {
  it('says where the failure starts, what passes it on, and what was mended', async () => {
    await open(FAILED);
    expect(await text('main header')).toContain('3 spans failed, starting in met-relay.example');
    await press(Key.HOME, 'f', 'f');
    expect(await chosen()).toContain('GET /marine');
    await until(
      () => text('[aria-label=Span]'),
      (words) => words.includes('The failure starts at met-relay.example'),
    );
    await browser.driver.findElement(By.xpath('//button[.="1 data problem corrected"]')).click();
    await until(
      () => text('main'),
      (words) => words.includes('is not there; it hangs under the root'),
    );
  });
});

describe('a trace that still grows', () => {
  it('takes what comes in place, the chosen span staying chosen', async () => {
    const traceId = 'c'.repeat(32) as Span['traceId'];
    const now = BigInt(Date.now()) * 1_000_000n;
    const span = (id: number, from: number, to: number, name: string, parent?: number) => {
      const made = makeSpan({ id, from, to, name, ...(parent === undefined ? {} : { parent }) });
      return { ...made, traceId, start: now + BigInt(from), end: now + BigInt(to) };
    };
    await sendSpans(dusk.url, [span(0, 0, 90_000_000, 'whole'), span(2, 40_000_000, 50_000_000, 'later', 0)]);
    await open(traceId);
    await press(Key.END);
    await until(chosen, (row) => row.includes('later'));
    await sendSpans(dusk.url, [span(1, 10_000_000, 20_000_000, 'earlier', 0)]);
    await until(
      async () => (await rows()).length,
      (count) => count === 3,
    );
    expect(await chosen()).toContain('later');
  });
});

describe('a trace of 20 001 spans', () => {
  it('opens, and shows rows at once wherever it is scrolled to', async () => {
    await open(LARGE);
    // Like siblings are folded at first.
    await until(
      () => text('main'),
      (words) => words.includes('20\u202f001 spans') && words.includes('many small queries') === false,
    );
    await browser.driver.findElement(By.xpath('//button[contains(., "alike folded")]')).click();
    expect((await rows()).length).toBeLessThan(60);
    const scroller = await browser.driver.findElement(By.xpath('//*[@role="treegrid"]/../..'));
    for (const part of [0.5, 0.99, 0.02, 1]) {
      // In the very frame of the scroll the rows in sight are those that belong there.
      const seen = await browser.driver.executeAsyncScript<[number, number, number]>(
        `const [it, part, done] = arguments;
         it.scrollTop = part * (it.scrollHeight - it.clientHeight);
         requestAnimationFrame(() => requestAnimationFrame(() => {
           const view = it.getBoundingClientRect();
           const inSight = [...document.querySelectorAll('[role=row]')].filter((row) => {
             const { top, bottom } = row.getBoundingClientRect();
             return bottom > view.top + 1 && top < view.bottom - 1;
           });
           done([Number(inSight[0].ariaRowIndex), Math.floor(it.scrollTop / 28) + 1, inSight.length]);
         }));`,
        scroller,
        part,
      );
      expect(seen[0]).toBe(seen[1]);
      expect(seen[2]).toBeGreaterThan(15);
    }
    await press(Key.END);
    await until(chosen, (row) => row.includes('SELECT member'));
    await press(Key.HOME);
    await until(chosen, (row) => row.includes('roster'));
  });
});

describe('a span that tries to be a program', () => {
  it('is shown as text', async () => {
    await open(HOSTILE);
    expect(await text('h1')).toContain('<img src=x onerror=');
    expect(await text('[aria-label=Span]')).toContain('</script><script>');
    expect(await browser.driver.getTitle()).toBe('Trace · Dusk Lantern');
  });
});

describe('a trace that is not there', () => {
  it('is said to be absent, with the way back', async () => {
    await browser.visit(`${dusk.url}/traces/${'b'.repeat(32)}`);
    await until(
      () => text('main'),
      (words) => words.includes('No span of trace') && words.includes('Back to the list'),
    );
  });
});
