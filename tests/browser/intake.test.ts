import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { logs } from '../support/made/otlpSignals.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { getJson, JSON_TYPE, post, sendJson, sendSpans } from '../support/sending.ts';

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const open = async (path: string) => {
  await browser.visit(dusk.url + path);
  // The island has taken over when the window it chose stands in the address.
  await until(
    async () => new URL(await browser.driver.getCurrentUrl()),
    (url) => url.search !== '',
  );
};
const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
const button = (words: string) => browser.driver.findElement(By.xpath(`//button[normalize-space(.)=${JSON.stringify(words)}]`));
const spanOf = (service: string, attributes: Record<string, string> = {}) => {
  const [span] = makeSpans({ id: 0, from: 0, to: 5, service });
  const now = BigInt(Date.now()) * 1_000_000n;
  return {
    ...span,
    traceId: crypto.randomUUID().replaceAll('-', '') as typeof span.traceId,
    start: now,
    end: now + 5_000_000n,
    attributes,
  };
};

describe('connecting a system', () => {
  it('shows where to send to, waits, and says who was heard as soon as it is', async () => {
    await open('/intake/connect');
    expect(await text('h1')).toBe('Waiting for the first span');
    expect(await text('main')).toContain(dusk.url);
    await button('Collector').click();
    expect(await text('pre')).toContain(`endpoint: ${dusk.url}`);
    await sendSpans(dusk.url, [spanOf('gangway')]);
    await until(
      () => text('h1'),
      (words) => /^Last from gangway, \d+ s ago$/.test(words),
    );
    expect(await text('aside')).toMatch(/First traces from gangway/);
    expect(await text('main')).toContain('no service.version: versions cannot be compared');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('what comes in', () => {
  it('is counted by signal, with what was not taken and why, and found by keyboard', async () => {
    await sendJson(
      dusk.url,
      '/v1/logs',
      logs('holds', [
        { atMs: Date.now(), text: 'ahoy' },
        { atMs: 0, text: 'when?' },
      ]),
    );
    await post(dusk.url, '{', JSON_TYPE);
    await browser.visit(`${dusk.url}/traces`);
    await until(
      async () => new URL(await browser.driver.getCurrentUrl()),
      (url) => url.search !== '',
    );
    await press('g', 'i');
    await until(
      () => text('h1'),
      (words) => /^1 span and 1 log record in the last hour; 2 refused$/.test(words),
    );
    const page = await text('main');
    expect(page).toContain('neither a time nor an observed time is set');
    expect(page).toMatch(/400: the body is not JSON/);
    expect(await text('nav[aria-label="Pages"] [aria-current=page]')).toBe('Intake');
    expect(await text('aside')).toMatch(/requests held\s+0 of 512/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('masking', () => {
  it('shows what a rule would do, and puts it in force only when told', async () => {
    await sendSpans(dusk.url, [spanOf('gangway', { ref: 'booking OR-453217' })]);
    await open('/intake/masking');
    expect(await text('h1')).toBe('Masked before it is stored: secret, token, mail address and card number');
    const before = (await getJson(dusk.url, '/api/intake/masking')).rules.length;
    await button('+ text').click();
    await until(
      () => text('aside'),
      (words) => words.includes('1 it would mask') && words.includes('booking [masked: number]'),
    );
    expect(await text('main')).toContain('not in force yet');
    expect((await getJson(dusk.url, '/api/intake/masking')).rules).toHaveLength(before);
    await button('Put in force').click();
    await until(
      async () => (await getJson(dusk.url, '/api/intake/masking')).rules.length,
      (count) => count === before + 1,
    );
    const span = spanOf('gangway', { ref: 'booking OR-999999' });
    await sendSpans(dusk.url, [span]);
    expect((await getJson(dusk.url, `/api/traces/${span.traceId}`)).spans[0].attributes.ref).toBe('booking [masked: number]');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('says what is wrong with a pattern, and does not take it', async () => {
    await open('/intake/masking');
    const fields = await browser.driver.findElements(By.css('input[aria-label="Pattern of token"]'));
    await fields[0].sendKeys(Key.END, '(');
    expect(await text('main')).toMatch(/token: missing closing \)/);
    expect(await button('Put in force').isEnabled()).toBe(false);
    await button('Undo').click();
    expect(await text('main')).not.toMatch(/Invalid/);
  });
});
