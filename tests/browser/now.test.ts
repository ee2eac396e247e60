import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import { watchOnce } from '../../src/server/watch/watch.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { getJson, sendSpans } from '../support/sending.ts';

const MINUTE = 60_000;
const END = Math.floor(Date.now() / MINUTE) * MINUTE;
let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  // berths 4.7.0 began 80 minutes before the end: there are two hours before it that say what is usual.
  const spans = simulateDay({ endMs: END, hours: 3.4, seed: 5, scale: 0.5 });
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000), { gzip: true });
  process.env.DATABASE_URL = dusk.cluster.url;
  await watchOnce(dusk.url, END / MINUTE - 1);
  await closeConnections();
  browser = await openBrowser();
  await browser.driver.manage().window().setRect({ width: 1280, height: 800 });
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const WEEK = `/api/incidents?from=${new Date(END - 10_080 * MINUTE).toISOString()}&to=${new Date(END + 60 * MINUTE).toISOString()}`;
const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const address = async () => new URL(await browser.driver.getCurrentUrl());
const within = (words: string) => browser.driver.wait(when.elementLocated(By.xpath(`//*[contains(text(), "${words}")]`)), 10_000);
const open = async (path: string) => {
  await browser.visit(dusk.url + path);
  await until(address, (url) => url.search !== '');
};

describe('now', () => {
  it('opens with the journeys that got worse, since when, held against a calm time', async () => {
    await open('/');
    expect((await address()).pathname).toBe('/now');
    expect(await text('h1')).toMatch(/journeys? got worse after (\w{3} \d+ \w{3} )?\d\d:\d\d/);
    const [first] = await browser.driver.findElements(By.css('main li'));
    const words = await first.getText();
    expect(words).toContain('POST /holds');
    expect(words).toMatch(/p95 \d+ ms → [\d.]+ s/);
    const since = /since (?:\w{3} \d+ \w{3} )?(\d\d):(\d\d)/.exec(words)!;
    const began = new Date(END - 80 * MINUTE);
    const off = Number(since[1]) * 60 + Number(since[2]) - (began.getHours() * 60 + began.getMinutes());
    expect(Math.min(Math.abs(off), 1440 - Math.abs(off))).toBeLessThanOrEqual(8);
    await until(
      () => first.getText(),
      (now) => now.includes('berths · own code'),
    );
    const { before } = await getJson(
      dusk.url,
      `/api/now?from=${new Date(END - 60 * MINUTE).toISOString()}&to=${new Date(END).toISOString()}`,
    );
    expect(Date.parse(before.to)).toBeLessThanOrEqual(END - 80 * MINUTE);
  });

  it('shows its three worst without scrolling, and nothing serious to axe in either scheme', async () => {
    await open('/now');
    const [first] = await browser.driver.findElements(By.css('main li'));
    const { y, height } = await first.getRect();
    expect(y + height).toBeLessThan(800);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.findElement(By.css('[aria-label="Show on paper"]')).click();
    await browser.driver.wait(when.elementLocated(By.css('[aria-label="Show at dusk"]')), 3000);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.findElement(By.css('[aria-label="Show at dusk"]')).click();
  });

  it('is two clicks from one slow request of the worst journey, with window, chips and reference as they were', async () => {
    const iso = (minutes: number) => new Date(END - minutes * MINUTE).toISOString().replace(':00.000Z', 'Z');
    const reference = `${iso(150)}/${iso(90)}`;
    await open(`/now?last=60min&before=${reference}&where=ferry.channel is web`);
    const main = await browser.driver.wait(when.elementLocated(By.css('main li a')), 10_000);
    await main.click();
    await until(address, (url) => url.pathname === '/traces');
    const there = (await address()).searchParams;
    expect([there.get('last'), there.get('before')]).toEqual(['60min', reference]);
    expect(there.get('where')).toContain('ferry.channel is web;entry is POST /holds;duration at least');
    const row = await browser.driver.wait(when.elementLocated(By.css('[role=listitem] a')), 10_000);
    await row.click();
    await until(address, (url) => /^\/traces\/[0-9a-f]{32}$/.test(url.pathname));
    expect((await address()).searchParams.get('where')).toBe(there.get('where'));
  });

  it('goes to the next before window by a key, and back', async () => {
    await open('/now');
    await browser.driver.actions().sendKeys('b').perform();
    await until(address, (url) => url.searchParams.get('before') === 'just');
    await browser.driver.navigate().back();
    await until(address, (url) => !url.searchParams.has('before'));
  });

  it('tells services in the same manner, and goes there by keys', async () => {
    await open('/now/services');
    expect(await text('main ul')).toContain('berths');
    await browser.driver.actions().sendKeys('g').sendKeys('n').perform();
    await until(address, (url) => url.pathname === '/now');
  });

  it('takes names and objectives of journeys', async () => {
    await open('/now');
    await (await within('Name journeys and set objectives')).click();
    await (await browser.driver.wait(when.elementLocated(By.xpath('//section//button[.="POST /holds"]')), 5000)).click();
    const name = browser.driver.findElement(By.css('input[aria-label="Name of journey 1"]'));
    await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'Place a hold');
    await browser.driver.findElement(By.css('input[aria-label="Good share of journey 1"]')).sendKeys('soon');
    const save = browser.driver.findElement(By.xpath('//button[.="Save"]'));
    await save.click();
    expect(await (await browser.driver.wait(when.elementLocated(By.css('[role=alert]')), 3000)).getText()).toContain('no share');
    await browser.driver
      .findElement(By.css('input[aria-label="Good share of journey 1"]'))
      .sendKeys(Key.chord(Key.CONTROL, 'a'), '99.5');
    await save.click();
    await until(
      () => text('main li'),
      (words) => words.startsWith('Place a hold'),
    );
    await until(
      () => text('aside'),
      (words) => words.includes('/ 99.5 %'),
    );
  });
});

describe('failures', () => {
  it('open into occurrences with the way to the trace', async () => {
    await open('/now/failures?last=180min');
    await until(
      () => text('h1'),
      (words) => /requests? with a failure, starting as/.test(words),
    );
    await browser.driver.findElement(By.css('tbody th button')).click();
    const link = await browser.driver.wait(when.elementLocated(By.linkText('Open the trace at this span')), 10_000);
    await link.click();
    await until(address, (url) => url.pathname.startsWith('/traces/') && url.searchParams.has('span'));
  });

  it('say so when no failure has a text', async () => {
    await open('/now/failures?last=180min&text=nothing-like-it');
    expect(await (await within('No failure has this text')).getText()).toBeTruthy();
  });
});

describe('incidents', () => {
  it('are listed with what moved, acknowledged, and lit', async () => {
    await open('/now/incidents');
    await until(
      () => text('main'),
      (words) => words.includes('berths POST /berths/allocations: p95'),
    );
    const acknowledge = await within('acknowledge');
    await acknowledge.click();
    await until(
      () => text('main'),
      (words) => /acknowledged \d\d:\d\d/.test(words),
    );
    await browser.driver.findElement(By.linkText('Light it')).click();
    await until(address, (url) => url.pathname === '/now' && url.searchParams.has('from'));
  });

  it('come from rules of one’s own, whose builder says how often they would have fired', async () => {
    await open('/now/incidents');
    await (await within('+ rule')).click();
    await until(
      () => text('aside'),
      (words) => /would have fired/.test(words),
    );
    await browser.driver.findElement(By.xpath('//button[.="Put in force"]')).click();
    await until(
      async () => (await getJson(dusk.url, '/api/rules')).rules.length,
      (count) => count === 1,
    );
    await fetch(`${dusk.url}/api/rules`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ rules: [] }),
    });
  });

  it('stay the same when nothing but time goes on, and nobody is told twice', async () => {
    const [listed, told] = [
      async () => (await getJson(dusk.url, WEEK)).incidents,
      async () => (await getJson(dusk.url, '/api/inbox')).sent,
    ];
    // Which of those that are going on was seen last may change.
    const shape = (list: { id: number; from: number; title: string }[]) =>
      list.map(({ id, from, title }) => [id, from, title] as const).sort(([a], [b]) => a - b);
    const [before, sent] = [shape(await listed()), (await told()).length];
    expect(before.length).toBeGreaterThan(0);
    await watchOnce(dusk.url, END / MINUTE + 2);
    await closeConnections();
    expect(shape(await listed())).toEqual(before);
    expect((await told()).length).toBe(sent);
  });

  it('were told of, each with a link that opens its window', async () => {
    const { sent } = await getJson(dusk.url, '/api/inbox');
    // The application watches on its own, too: whichever round came first, with however much of the data, named what it saw then.
    const links = sent
      .filter(({ channel }: { channel: string }) => channel === 'mail')
      .map((it: { link: string }) => new URL(it.link));
    const link = links.find((it: URL) => Math.abs(Date.parse(it.searchParams.get('from')!) - (END - 85 * MINUTE)) < 8 * MINUTE);
    expect(Date.parse(link.searchParams.get('to')!)).toBeGreaterThan(END - 15 * MINUTE);
  });
});

describe('the ask box', () => {
  it('takes a time, a page, a condition, and what it finds', async () => {
    await open('/now');
    const ask = async (words: string) => {
      const input = browser.driver.findElement(By.css('input[aria-label="Ask"]'));
      await input.sendKeys(Key.chord(Key.CONTROL, 'a'), words);
      await browser.driver.wait(when.elementLocated(By.css('[role=option]')), 5000);
      await input.sendKeys(Key.ENTER);
    };
    await ask('last 2 h');
    await until(address, (url) => url.searchParams.get('last') === '120min');
    await ask('ferry.channel is kiosk');
    await until(address, (url) => url.searchParams.get('where') === 'ferry.channel is kiosk');
    await ask('Failures');
    await until(address, (url) => url.pathname === '/now/failures');
    expect((await address()).searchParams.get('where')).toBe('ferry.channel is kiosk');
  });

  it('widens the window to what was asked for, and says so', async () => {
    const { traces } = await getJson(dusk.url, '/api/traces?where=user exists&sort=-start&limit=100');
    const spans = await getJson(dusk.url, `/api/traces/${traces.at(-1).traceId}`);
    const user = spans.spans.map((it: { attributes: Record<string, string> }) => it.attributes['enduser.id']).find(Boolean);
    await open(`/now?from=${new Date(END - 2 * MINUTE).toISOString()}&to=${new Date(END - MINUTE).toISOString()}`);
    const input = browser.driver.findElement(By.css('input[aria-label="Ask"]'));
    await input.sendKeys(user);
    await browser.driver.wait(when.elementLocated(By.xpath(`//*[@role="option"]//*[contains(text(), "user ${user}")]`)), 30_000);
    await input.sendKeys(Key.ENTER);
    await until(address, (url) => url.pathname === '/traces' && url.searchParams.get('where') === `user is ${user}`);
    await within('was widened');
  });
});

describe('notes on the axis of time', () => {
  const at = END - 30 * MINUTE;
  const clock = new Date(at).toISOString().slice(11, 16);
  const slips = () => browser.driver.findElements(By.xpath('//*[local-name()="title"][contains(text(), "pool set back to 10")]'));

  it('are written where they belong, seen on the ribbon by others, lead to their time and page, and are removed', async () => {
    await open(`/now?from=${new Date(END - 60 * MINUTE).toISOString()}&to=${new Date(END).toISOString()}&zone=UTC`);
    await browser.driver.findElement(By.xpath('//button[text()="+ note"]')).click();
    const line = await browser.driver.wait(when.elementLocated(By.css('input[placeholder^="13:40"]')), 5_000);
    await line.sendKeys(`${clock} pool set back to 10`, Key.ENTER);
    await until(slips, (found) => found.length > 0);
    const { notes } = await getJson(dusk.url, `/api/notes?from=${new Date(at).toISOString()}&to=${new Date(END).toISOString()}`);
    expect(notes).toMatchObject([{ at, text: 'pool set back to 10', path: expect.stringMatching(/^\/now\?.*from=/) }]);
    // Whoever opens another page sees it.
    await open('/map');
    await until(slips, (found) => found.length > 0);
    await browser.driver.findElement(By.xpath('//button[text()="1 note"]')).click();
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.findElement(By.xpath('//*[@aria-label="Notes"]//button[contains(., "pool set back")]')).click();
    await until(address, (url) => Date.parse(url.searchParams.get('from') ?? '') === at - 15 * MINUTE);
    await browser.driver.findElement(By.xpath('//button[text()="1 note"]')).click();
    await browser.driver.findElement(By.css('[aria-label^="remove “pool set back"]')).click();
    await until(slips, (found) => found.length === 0);
    await within('+ note');
  });
});
