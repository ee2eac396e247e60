import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { END, iso, KEY, look, sendGrownCode, TRACE, TURN, WINDOW } from '../support/made/grownCode.ts';
import { logs } from '../support/made/otlpSignals.ts';
import { sendJson } from '../support/sending.ts';

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  await sendGrownCode(dusk.url);
  await sendJson(dusk.url, '/v1/logs', logs('store', [look(10_000, 80), look(20_000, 88), look(30_000, 88), look(40_000, 88)]));
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const says = (css: string, words: RegExp) =>
  until(
    () => text(css),
    (it) => words.test(it),
  );

describe('a profile', () => {
  it('says what grew, draws it, shows the line, and keeps what is chosen in the address', async () => {
    await browser.visit(`${dusk.url}/code/profile?${WINDOW}`);
    await says('h1', /^ferries computes .*collect takes 10 → 75 %$/);
    const [width, height] = await browser.driver.executeScript<number[]>(
      'const { width, height } = document.querySelector("canvas"); return [width, height];',
    );
    expect(width).toBeGreaterThan(500);
    expect(height).toBeGreaterThan(60);
    // Something is drawn in the colour of what grew.
    const gold = await browser.driver.executeScript<number>(`
      const canvas = document.querySelector('canvas');
      const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
      let count = 0;
      for (let at = 0; at < data.length; at += 4) if (data[at] === 0xf5 && data[at + 1] === 0xc4 && data[at + 2] === 0x63) count++;
      return count;`);
    expect(gold).toBeGreaterThan(1_000);
    expect(await text('li[data-hot=true]')).toContain('text += it.name');
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.findElement(By.xpath('//button[text()="other"]')).click();
    await until(
      async () => new URL(await browser.driver.getCurrentUrl()).searchParams.get('function'),
      (it) => it === 'other|src/other.js',
    );
    await says('aside h2, [aria-label="Function"] h2', /other/);
  });

  it('is searched by keyboard', async () => {
    await browser.visit(`${dusk.url}/code/profile?${WINDOW}`);
    await says('h1', /^ferries/);
    await browser.driver.actions().sendKeys('f', 'coll').perform();
    await until(
      async () => (await browser.driver.findElements(By.css('tbody tr[aria-rowindex]'))).length,
      (rows) => rows === 1,
    );
    expect(new URL(await browser.driver.getCurrentUrl()).searchParams.get('find')).toBe('coll');
  });
});

describe('findings', () => {
  it('name habit, line and cost; one is set aside with a reason and counted again', async () => {
    await browser.visit(`${dusk.url}/code/findings?${WINDOW}`);
    await says('h1', /^One habit takes .+ of CPU beyond usual in ferries$/);
    expect(await text('tr[data-chosen=true]')).toMatch(
      /Text built up in a loop[\s\S]*ferries 2\.0\.0[\s\S]*collect:3[\s\S]*75\.0 %/,
    );
    expect(await text('article')).toContain('src/names.js:3');
    expect(await seriousFaults(browser.driver)).toEqual([]);
    const button = (words: string) => browser.driver.findElement(By.xpath(`//button[contains(normalize-space(.), "${words}")]`));
    await button('Set it aside').click();
    await browser.driver.findElement(By.css('form input')).sendKeys('names are short', Key.ENTER);
    await says('h1', /^No habit takes more than is usual$/);
    await button('Count it again').click();
    await says('h1', /^One habit/);
    expect(KEY).toContain('collect');
  });
});

describe('running requests', () => {
  const at = `from=${iso(TURN)}&to=${iso(END - 60_000 + 42_000)}&before=just`;
  it('stand by their line; the followed one shows since when it stands there', async () => {
    await browser.visit(`${dusk.url}/code?${at}`);
    await says('h1', /^All 1 running requests|^One request runs, the oldest for 42\.0 s in change:88 of store$/);
    expect(await text('table')).toMatch(/store[\s\S]*change :88[\s\S]*statement running/);
    await says('[aria-label="Request"]', /UPDATE booking SET sailing_id/);
    expect(await text('[aria-label="Running requests"]')).toContain(TRACE.slice(0, 8));
    expect(await text('[aria-label="Running requests"]')).toContain('in 3 looks of 4');
    // Nothing was heard of it since the last look, long ago: it is as old as it was then.
    expect(await text('[aria-label="Running requests"]')).toContain('on the same line since 20.0 s');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('are none in a window without any, and that is said', async () => {
    await browser.visit(`${dusk.url}/code?from=${iso(TURN - 600_000)}&to=${iso(TURN)}&before=just`);
    await says('h1', /^No request has been running for longer than 100 ms$/);
  });
});
