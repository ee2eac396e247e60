import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { EPOCH, makeSpans } from '../support/made/traceMaker.ts';
import { SEARCH, sendTroubledDatabase, TURN, WINDOW } from '../support/made/troubledDatabase.ts';
import { sendSpans } from '../support/sending.ts';

let dusk: Installation;
let browser: Browser;

beforeAll(async () => {
  dusk = await install();
  await sendTroubledDatabase(dusk.url);
  await sendCalls(dusk.url);
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

/** Requests that wait for the server, as their service sees it. */
async function sendCalls(url: string): Promise<void> {
  const shift = BigInt(TURN + 60_000) * 1_000_000n - EPOCH;
  const spans = Array.from({ length: 40 }, (_, at) =>
    makeSpans(
      { id: 0, from: 0, to: 50.1e9, service: 'bookings', kind: 'server', name: 'PUT /bookings' },
      {
        id: 1,
        parent: 0,
        from: 0,
        to: 50e9,
        service: 'bookings',
        kind: 'client',
        name: 'UPDATE booking',
        attributes: { 'db.system.name': 'postgresql', 'server.address': 'manifest-db' },
      },
    ).map((span) => ({
      ...span,
      traceId: at.toString(16).padStart(32, 'c') as never,
      start: span.start + shift + BigInt(at) * 1_000_000_000n,
      end: span.end + shift + BigInt(at) * 1_000_000_000n,
    })),
  ).flat();
  await sendSpans(url, spans);
}

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const address = async () => new URL(await browser.driver.getCurrentUrl());
const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
const headline = (words: RegExp) =>
  until(
    () => text('h1'),
    (it) => words.test(it),
  );

describe('the servers', () => {
  it('lead from the worst to the session that all wait for in one click', async () => {
    await browser.visit(`${dusk.url}/databases?${WINDOW}`);
    await headline(/^manifest-db: 0\.25 → 3\.\d sessions, 9\d % of it waiting for a lock$/);
    const aside = await until(
      () => text('aside, [aria-label=Server]'),
      (words) => words.includes('It starts with one session'),
    );
    expect(aside).toMatch(/season-rollover, session 90/);
    expect(aside).toContain('Not the query and not the server');
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await press('j');
    await until(address, (url) => url.searchParams.get('server') === 'account-db');
    await press('k');
    await browser.driver.findElement(By.linkText('Open')).click();
    await headline(/^9\d % of the load waits for a lock, held by season-rollover, which does nothing$/);
  });

  it('can be hidden, and come back by the browser’s Back', async () => {
    await browser.visit(`${dusk.url}/databases?${WINDOW}`);
    await headline(/^manifest-db/);
    await browser.driver.findElement(By.xpath('//article[contains(., "manifest-db")]//button[.="Hide"]')).click();
    await headline(/^No server has more to do than before/);
    await browser.driver.navigate().back();
    await headline(/^manifest-db/);
  });
});

describe('a server', () => {
  const open = async (more = '') => {
    await browser.visit(`${dusk.url}/databases/manifest-db?${WINDOW}${more}`);
    await headline(/of the load waits for a lock/);
  };

  it('shows who hangs behind whom, and goes from second to second by keys', async () => {
    await open();
    const tree = await until(
      () => text('[aria-label="Who hangs behind whom on manifest-db"]'),
      (words) => words.includes('season-rollover'),
    );
    expect(tree).toMatch(/3 blocked/);
    expect(tree).toMatch(/idle in transaction/);
    expect(tree).toMatch(/waits for nobody, 3 behind it/);
    const atOf = async () => Date.parse((await address()).searchParams.get('at') ?? '');
    await press(Key.ARROW_RIGHT);
    const first = await until(atOf, (at) => at > TURN);
    await press(Key.ARROW_RIGHT);
    await until(atOf, (at) => at === first + 1000);
    await press(Key.ESCAPE);
    await until(atOf, (at) => Number.isNaN(at));
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('names the services that call it, and leads to what their calls take', async () => {
    await open();
    const hurt = await until(
      () => text('aside'),
      (words) => words.includes('All callers of manifest-db'),
    );
    expect(hurt).toMatch(/Who is hurt[\s\S]*bookings[\s\S]*50(\.0)? s/);
    await browser.driver.findElement(By.linkText('All callers of manifest-db')).click();
    await until(
      () => text('main'),
      (words) => /bookings/.test(words) && /database, from its callers’ side/.test(words),
    );
    await browser.driver.findElement(By.linkText('what its sessions wait for')).click();
    await headline(/of the load waits for a lock/);
  });

  it('is cut part by part, each step back by a key, all of it in the address', async () => {
    await open();
    await browser.driver.findElement(By.xpath('//button[starts-with(., "program")]')).click();
    await browser.driver.findElement(By.xpath('//td//button[.="manifests"]')).click();
    await until(address, (url) => url.searchParams.get('trail') === 'program:manifests');
    await browser.driver.wait(
      when.elementLocated(By.xpath('//nav[@aria-label="Chosen parts of the load"]//button[contains(., "manifests")]')),
      10_000,
    );
    await browser.driver.findElement(By.xpath('//button[starts-with(., "client host")]')).click();
    await browser.driver.wait(when.elementLocated(By.xpath('//td//button[.="manifests-1"]')), 10_000).click();
    await until(address, (url) => url.searchParams.get('trail') === 'program:manifests|client:manifests-1');
    await press(Key.BACK_SPACE);
    await until(address, (url) => url.searchParams.get('trail') === 'program:manifests');
    await open('&trail=program:manifests&by=client');
    expect(await text('main')).toMatch(/manifests-1/);
  });

  it('lights what is dragged over its tide', async () => {
    await open();
    const tide = await browser.driver.findElement(By.css('svg[aria-label^="manifest-db: average active sessions"]'));
    const before = (await address()).searchParams.get('from');
    await browser.driver.actions().move({ origin: tide, x: -40 }).press().move({ origin: tide, x: 60 }).release().perform();
    const dragged = await until(address, (url) => url.searchParams.get('from') !== before);
    const [from, to] = ['from', 'to'].map((name) => Date.parse(dragged.searchParams.get(name)!));
    expect(to).toBeGreaterThan(from);
    expect(from).toBeGreaterThanOrEqual(TURN - 600_000);
  });

  it('that nobody samples says so, with the way out', async () => {
    await browser.visit(`${dusk.url}/databases/nowhere?${WINDOW}`);
    await until(
      () => text('main'),
      (words) => words.includes('No sampler has reported a database server named "nowhere"'),
    );
  });
});

describe('a statement', () => {
  it('says that its plan changed, what that did, and how both plans look', async () => {
    await browser.visit(`${dusk.url}/databases/manifest-db/statements/${SEARCH}?${WINDOW}`);
    await headline(/^SELECT sailing: 10\.0 ms → 1\d\d ms a call$|^SELECT sailing: 10\.0 ms → 200 ms a call$/);
    const page = await text('main');
    expect(page).toContain('Its plan changed.');
    expect(page).toContain('sailing: Index Scan → Seq Scan');
    // What its callers waited is asked beside it: nobody's spans carry this text.
    await until(
      () => text('table[aria-label="What a call costs"] caption'),
      (words) => /^p50 and p95: no sample in this window names a stored request/.test(words),
    );
    expect(page).toMatch(/in force[\s\S]*Seq Scan[\s\S]*before it[\s\S]*Index Scan/);
    await browser.driver.findElement(By.xpath('//button[.="as JSON"]')).click();
    expect(await text('main')).toContain('"Node Type": "Seq Scan"');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('the indexes of a server', () => {
  it('are one step from it: what a plan lacks, and the way to its statement and to the plan bench', async () => {
    await browser.visit(`${dusk.url}/databases/manifest-db?${WINDOW}`);
    await browser.driver.wait(when.elementLocated(By.linkText('Indexes')), 10_000).click();
    await headline(
      /^An index on sailing \(route\) is missing: it would save up to 1\.\d+ sessions; which indexes are used is not/,
    );
    const page = await text('main');
    expect(page).toMatch(/3\D606\s*→\s*≤\s*27/);
    expect(page).toContain('Nobody counts the indexes of this server.');
    expect(await seriousFaults(browser.driver)).toEqual([]);
    const [statement, bench] = await Promise.all(
      ['SELECT sailing', 'Try it'].map((words) =>
        browser.driver.findElement(By.linkText(words)).getAttribute('href').then(String),
      ),
    );
    expect(new URL(statement).pathname).toBe(`/databases/manifest-db/statements/${SEARCH}`);
    expect(new URL(bench).searchParams.get('statement')).toBe(SEARCH);
    // The window goes along.
    for (const link of [statement, bench]) expect(Date.parse(new URL(link).searchParams.get('from')!)).toBe(TURN);
  });

  it('that nobody reports are said to be so, with the way back', async () => {
    await browser.visit(`${dusk.url}/databases/account-db/indexes?${WINDOW}`);
    await headline(/^Nobody reports plans or indexes of account-db$/);
    await browser.driver.findElement(By.xpath('//button[.="Back to account-db"]')).click();
    await until(address, (url) => url.pathname === '/databases/account-db');
  });
});

describe('the pools', () => {
  it('say what would have to be sent when nobody measures one', async () => {
    await browser.visit(`${dusk.url}/databases/pools?${WINDOW}`);
    await headline(/^No pool is measured$/);
    expect(await text('main')).toContain('.use_time');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});
