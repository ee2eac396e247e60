import { setTimeout as sleep } from 'node:timers/promises';
import pg from 'pg';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { OneVisit } from '../../src/api/visitors/visit.ts';
import { openSite, PLANTED, SLOW_MS } from '../fixtures/visited/pages.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { getJson } from '../support/sending.ts';

/*
 * The snippet in a real browser on the pages of another site: what visitors see and press comes to the store, nothing personal does.
 */

const KEY = 'site-of-the-tests';
const ASKING = 'site-that-asks';

let dusk: Installation;
let browser: Browser;
let site: Awaited<ReturnType<typeof openSite>>;
beforeAll(async () => {
  dusk = await install();
  browser = await openBrowser();
  site = await openSite((page) =>
    page === '/plain'
      ? ''
      : `<script src="${dusk.url}/visits.js" data-site="${page.startsWith('/asks') ? ASKING : KEY}" data-release="2.31"${page.startsWith('/asks') ? ' data-consent="ask"' : ''}></script>`,
  );
  await put([
    { key: KEY, app: 'quayside-test', origins: [site.origin], environment: 'reach-test' },
    { key: ASKING, app: 'asks-first', origins: [site.origin] },
  ]);
});
afterAll(async () => {
  await browser?.close();
  site?.close();
  await dusk?.stop();
});

async function put(sites: unknown[]): Promise<void> {
  const answer = await fetch(`${dusk.url}/api/visitors/sites`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ sites }),
  });
  expect(answer.status).toBe(200);
}

function lately(): Record<string, string> {
  return { from: new Date(Date.now() - 600_000).toISOString(), to: new Date(Date.now() + 60_000).toISOString() };
}

/** Opens a page as a new visitor, does something on it, leaves; the visit as it is stored. */
async function visit(path: string, work: () => Promise<void>, app = 'quayside-test'): Promise<OneVisit> {
  await browser.driver.get(`${site.origin}/plain`);
  await browser.driver.executeScript('sessionStorage.clear()');
  await browser.driver.get(`${site.origin}${path}`);
  await sleep(400);
  await work();
  await sleep(1_150);
  const session: string = await browser.driver.executeScript("return (sessionStorage.getItem('dusk.visit') || '').split(' ')[0]");
  await browser.driver.get('about:blank');
  const known = await until(
    () => getJson(dusk.url, `/api/visitors/visits/${session}?${new URLSearchParams(lately())}`),
    // What is measured until the end comes after the page was left.
    (it) =>
      ['leave', 'CLS'].every((last) =>
        it.events?.some(({ kind, name }: { kind: string; name: string }) => kind === last || name === last),
      ),
  );
  expect(known.app).toBe(app);
  return known as OneVisit;
}

const press = async (id: string, times = 1) => {
  for (let at = 0; at < times; at++) {
    await browser.driver.findElement(By.id(id)).click();
    await sleep(150);
  }
};

const signsOf = ({ signs }: OneVisit) => signs.map(({ kind, name }) => `${kind}: ${name}`);

describe('a visit', () => {
  it('on a well-behaved page has its view with phases that add up, its presses with effect, and no sign of struggle', async () => {
    const found = await visit('/late', async () => {
      await press('alive');
      await sleep(1_100);
      await press('asks');
      await sleep(SLOW_MS + 200);
      await press('agree');
      await browser.driver.findElement(By.id('typed')).sendKeys('Typed Secret Words', Key.TAB);
    });
    const [view] = found.views;
    expect(view.page).toBe('/late');
    expect(view.parts.reduce((sum, { from, to }) => sum + to - from, 0) / 1_000).toBeCloseTo(view.readyMs!, 2);
    const server = view.parts
      .filter(({ phase, name }) => phase === 'server' && name === '')
      .reduce((sum, { from, to }) => sum + (to - from) / 1_000, 0);
    expect(server).toBeGreaterThan(SLOW_MS - 20);
    const presses = found.events.filter(({ kind }) => kind === 'action');
    expect(presses.map(({ name, detail }) => [name, detail.effect])).toEqual([
      ['search', 'mutation'],
      ['find sailings', 'request'],
      ['agree', 'mutation'],
    ]);
    expect(presses[1].durationMs).toBeGreaterThan(SLOW_MS - 20);
    expect(presses[1].traceId).toBe(site.received.traceparent.split('-')[1]);
    expect(signsOf(found)).toEqual([]);
    expect(found.about).toMatchObject({ version: '2.31', device: 'desk' });
    expect(found.about.browser).toMatch(/Chrom/);
  });

  it('shows a dead button, also beside a clock that ticks', async () => {
    const found = await visit('/', async () => {
      await sleep(900);
      await press('dead');
      await sleep(1_100);
      await press('anchor');
    });
    expect(signsOf(found)).toEqual(['no answer: hold places', 'no answer: nowhere']);
  });

  it('shows who presses again and again, and who is turned away by an error', async () => {
    const found = await visit('/', async () => {
      await sleep(900);
      await press('dead', 4);
      await sleep(2_200);
      await press('fails');
    });
    expect(signsOf(found)).toEqual(
      expect.arrayContaining(['knocking: hold places', 'no answer: hold places', 'turned away: pay and confirm']),
    );
    const fault = found.events.find(({ kind }) => kind === 'error');
    expect(fault?.name).toMatch(/^Uncaught Error: no card|^no card/);
    expect(String(fault?.detail.stack)).toMatch(/onclick/);
  });

  it('has a view for a page that comes without a document, ready when nothing more happens', async () => {
    const found = await visit('/', async () => {
      await press('goes');
      await sleep(700);
    });
    expect(found.views.map(({ page, trigger }) => [page, trigger])).toEqual([
      ['/', 'load'],
      ['/passes/{id}', 'route'],
    ]);
    expect(found.views[1].readyMs).toBeGreaterThan(100);
    expect(found.views[1].readyMs).toBeLessThan(600);
    expect(signsOf(found)).toEqual([]);
  });

  it('names the third party that held the page up, and its script', async () => {
    const found = await visit('/busy', () => sleep(200));
    const third = found.views[0].parts.filter(({ phase, name }) => phase === 'third' && name.endsWith('/tag.js'));
    expect(third[0]?.party).toMatch(/^127\.0\.0\.1:/);
    expect(third.reduce((sum, { from, to }) => sum + (to - from) / 1_000, 0)).toBeGreaterThan(400);
    const task = found.events.find(({ kind, name }) => kind === 'task' && name.endsWith('/tag.js'));
    expect(task?.durationMs).toBeGreaterThan(250);
    expect(task?.detail.party).toBe('third');
  });

  it('has the web vitals as the browser’s own entries say', async () => {
    let own: { ttfb: number; fcp: number; lcp: number } | undefined;
    const found = await visit('/late', async () => {
      own = await browser.driver.executeAsyncScript(`const done = arguments[0];
        new PerformanceObserver((list) => {
          const [navigation] = performance.getEntriesByType('navigation');
          const [paint] = performance.getEntriesByName('first-contentful-paint');
          done({ ttfb: navigation.responseStart, fcp: paint.startTime, lcp: list.getEntries().at(-1).startTime });
        }).observe({ type: 'largest-contentful-paint', buffered: true });`);
      await press('alive');
    });
    const vitals = Object.fromEntries(
      found.events.filter(({ kind }) => kind === 'vital').map(({ name, durationMs }) => [name, durationMs]),
    );
    expect(vitals.TTFB! / own!.ttfb).toBeCloseTo(1, 1);
    expect(vitals.FCP! / own!.fcp).toBeCloseTo(1, 1);
    expect(vitals.LCP! / own!.lcp).toBeCloseTo(1, 1);
    expect(vitals.INP).toBeGreaterThanOrEqual(0);
  });
});

describe('what is personal', () => {
  it('does not reach the store, wherever it stands in the page', async () => {
    await visit(`/bookings/a9f3c71e5b2d4480b1c6e7d8f9a0b1c2?mail=odo.brandt@marram.example`, async () => {
      await browser.driver.findElement(By.id('typed')).sendKeys('Typed Secret Words', Key.TAB);
      await press('tells');
      await press('hidden');
      await press('asks');
      await press('fails');
      await browser.driver.executeScript(
        "duskLantern.about({ note: 'GB33BUKB20201555555555 and +44 7700 900123' }); duskLantern.error(new Error('mail to odo.brandt@marram.example failed'))",
      );
      await sleep(SLOW_MS + 300);
    });
    const client = new pg.Client({ connectionString: dusk.cluster.url });
    await client.connect();
    const { rows } = await client.query('SELECT page, name, detail::text, about::text, user_ref FROM visit');
    await client.end();
    const stored = JSON.stringify(rows);
    expect(rows.length).toBeGreaterThan(20);
    for (const secret of PLANTED) expect(stored).not.toContain(secret);
    expect(stored).not.toContain('4111111111111111');
  });

  it('is not asked for before consent: nothing is stored in the page nor sent', async () => {
    const before = (await getJson(dusk.url, `/api/visitors/visits?${new URLSearchParams({ ...lately(), app: 'asks-first' })}`))
      .total;
    await browser.driver.get(`${site.origin}/plain`);
    await browser.driver.executeScript('sessionStorage.clear()');
    await browser.driver.get(`${site.origin}/asks`);
    await press('alive');
    await sleep(1_300);
    expect(await browser.driver.executeScript('return sessionStorage.length')).toBe(0);
    await browser.driver.get(`${site.origin}/asks/again`);
    const found = await visit(
      '/asks',
      async () => {
        await press('alive');
        await sleep(1_200);
        await browser.driver.executeScript('duskLantern.consent(true)');
      },
      'asks-first',
    );
    expect(before).toBe(0);
    // What was done before the yes belongs to the visit; the pages without one are not there.
    expect(found.events.map(({ kind, name }) => (kind === 'action' ? name : kind))).toContain('search');
    const { total } = await getJson(dusk.url, `/api/visitors/visits?${new URLSearchParams({ ...lately(), app: 'asks-first' })}`);
    expect(total).toBe(1);
  });
});
