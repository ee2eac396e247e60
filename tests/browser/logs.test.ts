import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { orderLines } from '../support/made/orderLines.ts';
import { logs } from '../support/made/otlpSignals.ts';
import { sendJson } from '../support/sending.ts';

/* Lines of a made-up shop, not of the demo's company: what is found is found without knowing its words. */

const MINUTE = 60_000;
const HALF = 150;
const END = Math.floor(Date.now() / MINUTE) * MINUTE - 10 * MINUTE;
const LIT = END - HALF * MINUTE;
const BEFORE = LIT - HALF * MINUTE;
const TRACE = 'bb7651916cd43dd8448eb211c80319c0';
const lit = orderLines(21, 700, 100);
/** Before, nothing was put aside. */
const before = { lines: orderLines(22, 700, 100).lines.filter(({ text }) => !text.includes('put aside')) };

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  for (const [from, { lines }] of [
    [BEFORE, before],
    [LIT, lit],
  ] as const)
    for (const service of ['till', 'yard', 'cart']) {
      const own = lines.filter((it) => it.service === service);
      for (let at = 0; at < own.length; at += 500)
        await sendJson(
          dusk.url,
          '/v1/logs',
          logs(
            service,
            own.slice(at, at + 500).map((it, index) => ({
              atMs: Math.round(from + it.at),
              text: it.text,
              severity: it.text.includes('put aside') ? 17 : 9,
              attributes: Object.entries({ ...it.attributes, 'worker.name': it.instance }).map(([key, value]) => ({
                key,
                value: { stringValue: value },
              })),
              ...(it.text.includes('put aside') && index % 2 === 0 && { traceId: TRACE }),
            })),
          ),
        );
    }
  browser = await openBrowser();
  await browser.driver.manage().window().setRect({ width: 1280, height: 800 });
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const iso = (ms: number) => new Date(ms).toISOString();
const address = (path: string, more = '') =>
  `${dusk.url}${path}?from=${iso(LIT)}&to=${iso(END)}&before=${encodeURIComponent(`${iso(BEFORE)}/${iso(BEFORE + HALF * MINUTE)}`)}${more}`;
const heading = async (words: string) => {
  const found = await browser.driver.wait(when.elementLocated(By.xpath(`//h1[contains(., ${JSON.stringify(words)})]`)), 90_000);
  return found.getText();
};
const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
const parameter = async (name: string) => new URL(await browser.driver.getCurrentUrl()).searchParams.get(name);

/** Opens the first shape, once the page answers to keys. */
const openFirst = () =>
  until(
    async () => {
      if ((await parameter('open')) === null) await press('n');
      return parameter('open');
    },
    (it) => it !== null,
  );

describe('the lines', () => {
  it('say what was not said before, and lead from a shape to a line, its record and its surroundings', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    expect(await heading('put aside')).toMatch(/^label printer jammed, parcel ord-… put aside: \d+ lines, none before; first /);
    await openFirst();
    await (await driver.wait(when.elementLocated(By.css('table[class*="shapeLines"] button')), 30_000)).click();
    await driver.wait(when.elementLocated(By.xpath('//h2[contains(., "Around it")]')), 30_000);
    expect(await parameter('line')).toMatch(/^\d+-\d+-\d+$/);
    expect(await (await driver.findElement(By.css('pre[class*="body"]'))).getText()).toContain('label printer jammed');
    expect((await driver.findElements(By.css('ol[class*="around"] li'))).length).toBeGreaterThan(3);
  });

  it('stand on the ribbon by severity, with how many at a moment', async () => {
    await browser.visit(address('/logs'));
    const ribbon = await browser.driver.wait(when.elementLocated(By.css('section[aria-label="Time"]')), 30_000);
    await until(
      () => ribbon.findElements(By.css('[data-group=errors] path')),
      (it) => it.length === 2,
    );
    expect(await ribbon.findElement(By.xpath('.//button[.="lines"]')).getAttribute('aria-pressed')).toBe('true');
    await browser.driver
      .actions()
      .move({ origin: await ribbon.findElement(By.css('[role=img]')), x: 30, y: 10 })
      .perform();
    expect(await ribbon.findElement(By.css('output')).getText()).toMatch(
      /^\d\d:\d\d · \d+ errors?, \d+ warnings?, [\d ]+ others?$/,
    );
    await ribbon.findElement(By.xpath('.//button[.="rate"]')).click();
    expect(await ribbon.findElements(By.css('[data-group=errors]'))).toEqual([]);
  });

  it('are narrowed by one key to errors, by typing to a text, and listed one by one', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    await heading('put aside');
    const jammed = lit.lines.filter(({ text }) => text.includes('put aside')).length;
    await until(
      async () => {
        await press('1');
        return parameter('severity');
      },
      (it) => it === 'fatal,error',
    );
    await driver.wait(when.elementLocated(By.xpath(`//button[normalize-space(.)="${jammed} lines"]`)), 30_000);
    await press('0');
    await press('s');
    await press('packed -jammed');
    await driver.wait(when.urlContains('text=packed'), 30_000);
    const packed = lit.lines.filter(({ text }) => text.includes('packed')).length;
    await (await driver.wait(when.elementLocated(By.xpath(`//button[normalize-space(.)="${packed} lines"]`)), 30_000)).click();
    const first = await driver.wait(when.elementLocated(By.css('[aria-label="Lines"] button')), 30_000);
    expect(await first.getText()).toContain('packed in');
    await press(Key.ESCAPE);
  });

  it('leave a shape out, and take it back by the browser’s Back', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    await heading('put aside');
    await openFirst();
    await press('e');
    await driver.wait(when.elementLocated(By.xpath('//h1[not(contains(., "put aside"))]')), 30_000);
    await driver.navigate().back();
    await heading('put aside');
  });

  it('are counted as one shape by hand, and as found again', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    await heading('put aside');
    await openFirst();
    const count = async () => (await driver.findElement(By.css('li[data-open=true] [class*="counts"] em'))).getText();
    const alone = Number(await count());
    const other = await driver.wait(when.elementLocated(By.css('li[data-open=true] select option:nth-child(2)')), 30_000);
    await other.click();
    await driver.findElement(By.xpath('//button[.="count as one"]')).click();
    await driver.wait(when.elementLocated(By.xpath('//li[@data-open="true"]//p[contains(., "By hand, also of")]')), 30_000);
    expect(Number((await count()).replaceAll(/\D/g, ''))).toBeGreaterThan(alone);
    expect(await seriousFaults(driver)).toEqual([]);
    await driver.findElement(By.xpath('//button[.="as found again"]')).click();
    await until(
      () => driver.findElements(By.xpath('//p[contains(., "By hand, also of")]')),
      (it) => it.length === 0,
    );
    expect(await heading('put aside')).toMatch(/none before/);
  });

  it('say what cannot be used of a pattern, and keep what was typed', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs', `&text=${encodeURIComponent('/(/')}`));
    await driver.wait(when.elementLocated(By.xpath('//*[contains(., "cannot be used")]')), 30_000);
    expect(await (await driver.findElement(By.css('input[type="search"]'))).getAttribute('value')).toBe('/(/');
  });

  it('come in while they are followed', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    await heading('put aside');
    await until(
      async () => {
        await press('f');
        return driver.findElements(By.xpath('//button[normalize-space(.)="pause"]'));
      },
      (found) => found.length === 1,
    );
    const text = `a visitor came at ${Date.now()}`;
    await sendJson(dusk.url, '/v1/logs', logs('till', [{ atMs: Date.now(), text }]));
    await driver.wait(when.elementLocated(By.xpath(`//button[contains(., "${text}")]`)), 30_000);
  });

  it('have nothing that axe calls serious', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    await heading('put aside');
    expect(await seriousFaults(driver)).toEqual([]);
  });
});

describe('stitched', () => {
  it('from a cold start: the key is found, the late ones stand out, and what only they have is named', async () => {
    const { driver } = browser;
    await browser.visit(address('/logs'));
    await heading('put aside');
    await (await driver.findElement(By.linkText('Stitched'))).click();
    const words = await heading('left the usual path');
    expect(words).toMatch(new RegExp(`${lit.late.size} of them: parcel \\S+ on its way`));
    expect(words).toMatch(/\d+ min.* late$/);
    const aside = await driver.findElement(By.css('[aria-label="What is not as usual"]'));
    expect(await aside.getText()).toMatch(/label printer jammed, parcel \S+ put aside/);
    await until(
      async () => {
        await press('j');
        return parameter('group');
      },
      (it) => it !== null,
    );
    const group = (await parameter('group'))!;
    expect(lit.late.has(group)).toBe(true);
    // Its lines, across services, in the order in which they were written.
    await driver.wait(when.elementLocated(By.xpath(`//ol[contains(@class, "story")]//a[contains(., "on its way")]`)), 30_000);
    const lines = await driver.findElements(By.css('ol[class*="story"] a'));
    const texts = await Promise.all(lines.map((it) => it.getText()));
    expect(texts.map((it) => /closed|coins|packed|aside|way/.exec(it)?.[0])).toEqual([
      'closed',
      'coins',
      'packed',
      'aside',
      'way',
    ]);
  });

  it('have nothing that axe calls serious', async () => {
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});
