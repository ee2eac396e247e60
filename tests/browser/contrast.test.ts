import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import type { ContrastAnswer } from '../../src/api/contrast/contrast.ts';
import type { ContrastWhere } from '../../src/api/contrast/where.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { getJson, sendSpans } from '../support/sending.ts';

const MINUTE = 60_000;
const END = Math.floor(Date.now() / MINUTE) * MINUTE;
/** berths 4.7.0 began 80 minutes before the end. */
const LIT = [new Date(END - 90 * MINUTE).toISOString(), new Date(END).toISOString()] as const;
const BEFORE = `${new Date(END - 200 * MINUTE).toISOString()}/${new Date(END - 95 * MINUTE).toISOString()}`;
const spans = simulateDay({ endMs: END, hours: 3.4, seed: 5, scale: 0.5 });
let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000), { gzip: true });
  browser = await openBrowser();
  await browser.driver.manage().window().setRect({ width: 1280, height: 800 });
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const HOLDS = encodeURIComponent('entry is POST /holds');
const query = (more: string) => `from=${LIT[0]}&to=${LIT[1]}&before=${encodeURIComponent(BEFORE)}&where=${HOLDS}&${more}`;
const contrast = (more: string) => getJson(dusk.url, `/api/contrast?${query(more)}`) as Promise<ContrastAnswer>;
const where = (more: string) => getJson(dusk.url, `/api/contrast/where?${query(more)}`) as Promise<ContrastWhere>;
const peeled = (...keys: readonly string[]) => `peeled=${encodeURIComponent(JSON.stringify(keys))}`;
const classes = (it: ContrastAnswer['rows'][number]) =>
  it.facets
    .find(({ field }) => field === 'ferry.vehicle_class')
    ?.values.slice()
    .sort();

/** The requests of the scope as they were sent: by the root's start, those that went well. */
function sent(from: number, to: number): number[] {
  return spans
    .filter((it) => it.parentSpanId === null && it.name === 'POST /holds' && it.status !== 'error')
    .filter((it) => Number(it.start / 1_000_000n) >= from && Number(it.start / 1_000_000n) < to)
    .map((it) => Number(it.end - it.start));
}

describe('what the slow ones have in common', () => {
  it('is coach and freight with berths 4.7.0, and fares 2.14.0 of the same hour makes no difference', async () => {
    const found = await contrast('how=slow');
    expect(classes(found.rows[0])).toEqual(['coach', 'freight']);
    expect(found.rows[0].amount).toBeGreaterThan(0.85);
    const told = found.rows.filter(({ along }) => !along).flatMap(({ facets }) => facets);
    expect(told.filter(({ service }) => service === 'fares')).toEqual([]);
    // Requests that took so long at least, by a second count.
    const all = sent(END - 90 * MINUTE, END);
    expect(found.a.requests + found.b.requests).toBe(all.length);
    expect(found.a.requests).toBe(all.filter((ns) => ns >= found.overNs!).length);
  });

  it('is the same held against before, and what is where adds up to the difference of the means', async () => {
    const [found, places] = [await contrast('how=before&outcome=duration'), await where('how=before&outcome=duration')];
    expect(classes(found.rows[0])).toEqual(['coach', 'freight']);
    const mean = (of: readonly number[]) => of.reduce((sum, ns) => sum + ns, 0) / of.length;
    const lit = mean(sent(END - 90 * MINUTE, END));
    const before = mean(sent(END - 200 * MINUTE, END - 95 * MINUTE));
    expect(found.difference / (lit - before)).toBeCloseTo(1, 9);
    const sum = places.lines.reduce((all, { a, b }) => all + a - b, places.restNs);
    expect(sum / found.difference).toBeCloseTo(1, 9);
    expect(places.lines[0]).toMatchObject({ party: 'berths', operation: 'layout.solve', kind: 'own' });
  });

  it('peeled off leaves what its layer says, everywhere the same', async () => {
    const { rows, difference } = await contrast('how=before&outcome=duration');
    const options = `how=before&outcome=duration&${peeled(rows[0].key)}`;
    const [found, places] = [await contrast(options), await where(options)];
    expect(found.stack[0].amount + found.left).toBeCloseTo(found.toExplain, 3);
    expect(found.stack[0].amount).toBeCloseTo(rows[0].amount, 3);
    expect(Math.abs(places.leftNs)).toBeLessThan(0.2 * difference);
    expect(places.lines.reduce((all, { leftA, leftB }) => all + leftA - leftB, places.restLeftNs)).toBeCloseTo(places.leftNs, 3);
    // It is a narrowing of every page: what it leaves and what it narrows to are all.
    const narrowed = (await getJson(
      dusk.url,
      `/api/contrast?from=${LIT[0]}&to=${LIT[1]}&before=${encodeURIComponent(BEFORE)}&where=${encodeURIComponent(`entry is POST /holds;${rows[0].key}`)}&how=before&outcome=duration`,
    )) as ContrastAnswer;
    expect(narrowed.a.requests).toBe(rows[0].requests.a);
  });

  it('of a value against all others has every request on one side', async () => {
    const all = await contrast('how=sets&a=ferry.channel%20is%20kiosk&outcome=duration');
    expect(all.read).toBe(all.of);
    expect(all.a.requests + all.b.requests).toBe(all.of);
  });
});

it('what cannot be understood is refused in words', async () => {
  const refused = async (more: string) => (await fetch(`${dusk.url}/api/contrast?${query(more)}`)).status;
  expect(await refused('how=sideways')).toBe(400);
  expect(await refused(peeled('duration over 3s'))).toBe(400);
  expect(await refused('peeled=nothing')).toBe(400);
  expect(await refused(peeled(...Array.from({ length: 20 }, (_, at) => `a is ${at}`)))).toBe(400);
});

describe('the page', () => {
  const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
  const press = (key: string) => browser.driver.actions().sendKeys(key).perform();
  const parameter = async (name: string) => new URL(await browser.driver.getCurrentUrl()).searchParams.get(name);

  it('says it in a sentence, and peels by keyboard', async () => {
    await browser.visit(`${dusk.url}/contrast?${query('how=slow')}`);
    await until(
      () => text('h1'),
      (words) => words.includes('coach or freight'),
    );
    await until(
      () => text('[aria-label="Where in the system"]'),
      (words) => words.includes('layout.solve'),
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await press(Key.ENTER);
    await until(
      () => text('h1'),
      (words) => words.includes('peeled off'),
    );
    expect(JSON.parse((await parameter('peel'))!)).toHaveLength(1);
    await press('a');
    await until(
      () => parameter('kept'),
      (kept) => kept !== null,
    );
    await press(Key.BACK_SPACE);
    await press('x');
    await until(
      () => parameter('swap'),
      (swap) => swap === 'yes',
    );
    await browser.driver.navigate().back();
    await until(
      () => parameter('swap'),
      (swap) => swap === null,
    );
  });

  it('takes another threshold in a word, and narrows every page to a hypothesis', async () => {
    await browser.visit(`${dusk.url}/contrast?${query('how=slow')}`);
    const words = await browser.driver.wait(
      when.elementLocated(By.css('[title="Change from when on a request is slow"]')),
      20_000,
    );
    await until(
      () => words.getText(),
      (it) => it.includes('or longer'),
    );
    await words.click();
    await browser.driver.wait(when.elementLocated(By.css('input[placeholder="1.2s"]')), 10_000).sendKeys('2s', Key.ENTER);
    await until(
      () => text('[aria-label="Population A"]'),
      (it) => it.includes('2.00 s'),
    );
    const narrow = await browser.driver.wait(when.elementLocated(By.xpath('//button[text()="Narrow to it"]')), 20_000);
    await narrow.click();
    await until(
      () => parameter('where'),
      (chips) => chips?.includes('ferry.vehicle_class is coach') === true,
    );
  });
});

describe('the versions of a service', () => {
  it('are held against each other, and lead to the contrast of the two', async () => {
    const { driver } = browser;
    await browser.visit(`${dusk.url}/services/berths/versions?${query('')}`);
    const heading = await driver.wait(when.elementLocated(By.xpath('//h1[contains(., "is worse than 4.6.3")]')), 20_000);
    expect(await heading.getText()).toMatch(
      /^berths 4\.7\.0 is worse than 4\.6\.3: POST \/berths\/allocations takes [\d.]+ × as long$/,
    );
    await driver.findElement(By.css('button[aria-label="mark POST /berths/allocations"]')).click();
    await driver.wait(when.urlContains('marked='), 5_000);
    await driver.findElement(By.linkText('Contrast the two')).click();
    await driver.wait(when.urlContains('/contrast'), 10_000);
    const address = new URL(await driver.getCurrentUrl()).searchParams;
    expect([address.get('how'), address.get('a'), address.get('b')]).toEqual([
      'sets',
      'service.version is 4.7.0',
      'service.version is 4.6.3',
    ]);
  });

  it('a place of a chart offers what changed there', async () => {
    const { driver } = browser;
    await browser.visit(`${dusk.url}/services/berths?${query('')}`);
    // What the server drew may be there before it answers to a click.
    const offers = await until(
      async () => {
        await driver.findElement(By.css('button[aria-label="p95, with p50 and p99: table and saving"]')).click();
        return driver.findElements(By.xpath('//button[contains(., "What changed here, at the peak")]'));
      },
      (found) => found.length === 1,
    );
    await offers[0].click();
    await driver.wait(when.urlContains('/contrast'), 20_000);
    const address = new URL(await driver.getCurrentUrl()).searchParams;
    expect(address.get('how')).toBe('before');
    expect(address.getAll('where').join(';')).toContain('service is berths');
    // The spike lies after the deployment, and is no longer than the lit window.
    const [from, to] = ['from', 'to'].map((name) => Date.parse(address.get(name)!));
    expect(from).toBeGreaterThan(END - 85 * MINUTE);
    expect(to).toBeLessThanOrEqual(END);
  });
});
