import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, until } from '../support/installation.ts';
import { BUSY_HOST, installWithHours, KILLED_PODS, windowOf } from '../support/made/companyHours.ts';

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await installWithHours(BUSY_HOST, KILLED_PODS);
  browser = await openBrowser();
}, 900_000);
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const says = (css: string, words: RegExp) =>
  until(
    () => text(css).catch(() => ''),
    (it) => words.test(it),
  );
const click = async (xpath: string) => (await browser.driver.wait(when.elementLocated(By.xpath(xpath)), 20_000)).click();
const press = (key: string) => browser.driver.actions().sendKeys(key).perform();

describe('the layers', () => {
  it('lead from Now to the ill host by mouse, with the window kept, and tell what takes it', async () => {
    await browser.visit(`${dusk.url}/now?${windowOf(BUSY_HOST)}`);
    await until(
      () => browser.driver.findElements(By.css('h1')),
      (it) => it.length > 0,
    );
    await click('//nav[@aria-label="Pages"]//a[contains(., "Machines")]');
    await says('h1', /services? suffers? from quay-3: backup-all takes 7\.\d of its 8 cores/);
    expect(await browser.driver.getCurrentUrl()).toContain(
      encodeURIComponent(new Date(BUSY_HOST.to).toISOString().slice(0, 13)).replaceAll('%3A', ':').slice(0, 10),
    );
    const lamp = await browser.driver.findElement(By.css('button[data-role=starts]'));
    expect(await lamp.getAttribute('textContent')).toMatch(/^quay-3: .*it starts here/);
    expect((await browser.driver.findElements(By.css('button[data-role=stands]'))).length).toBeGreaterThan(2);
    await says('section[aria-label="quay-3 at the moment"]', /backup-all[\s\S]*7\.\d/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    // Another machine is shown below, and the address keeps it.
    await click('//section[@aria-label="host"]//button[.//span[starts-with(., "quay-1:")]]');
    await says('section[aria-label="quay-1 at the moment"]', /quay-1 at/);
    expect(await browser.driver.getCurrentUrl()).toContain('machine=quay-1');
    await press(Key.ESCAPE);
    await says('section[aria-label="quay-3 at the moment"]', /quay-3 at/);
  });

  it('move to another moment by keyboard, at which all is well before the trouble', async () => {
    await browser.visit(`${dusk.url}/machines?${windowOf(BUSY_HOST)}&at=${BUSY_HOST.begins - 180_000}`);
    await says('h1', /^No layer is ill at/);
    const before = await text('h1');
    await press(Key.ARROW_LEFT);
    await until(
      () => text('h1'),
      (it) => it !== before,
    );
    await press(Key.ESCAPE);
    await says('h1', /suffers? from quay-3/);
  });
});

describe('a picture over time', () => {
  it('takes a click for the moment, and a drag for the lit window', async () => {
    await browser.visit(`${dusk.url}/machines?${windowOf(BUSY_HOST)}&machine=quay-3`);
    await says('section[aria-label="quay-3 at the moment"]', /quay-3 at/);
    const picture = await browser.driver.findElement(By.css('section[aria-label="quay-3 at the moment"] div[role=img]'));
    const { width } = await picture.getRect();
    const address = async () => new URL(await browser.driver.getCurrentUrl()).searchParams;
    const at = async (name: string) => Date.parse((await address()).get(name)!);
    const [begins, ends] = [await at('from'), await at('to')];
    await browser.driver.actions().move({ origin: picture, x: -20, y: 10 }).click().perform();
    await until(address, (it) => it.has('at'));
    expect([await at('from'), await at('to')]).toEqual([begins, ends]);
    // The left half of it but for what is no time at its right.
    const x = -Math.floor(width / 2) + 1;
    await browser.driver
      .actions()
      .move({ origin: picture, x, y: 10 })
      .press()
      .move({ origin: picture, x: -4, y: 10 })
      .release()
      .perform();
    await until(
      () => at('to'),
      (it) => it !== ends,
    );
    const half = (ends - begins) / 2;
    expect(Math.abs((await at('from')) - begins)).toBeLessThan(half / 10);
    expect(Math.abs((await at('to')) - (begins + half))).toBeLessThan(half / 10);
  });
});

describe('hosts', () => {
  it('are walked by keyboard, and one opens with its processes and its guilt', async () => {
    await browser.visit(`${dusk.url}/machines/hosts?${windowOf(BUSY_HOST)}`);
    await says('h1', /^quay-3: \d+ % CPU( pressure)? at .*more/);
    await press('f');
    await browser.driver.switchTo().activeElement().sendKeys('quay-3', Key.TAB);
    await until(
      async () => (await browser.driver.findElements(By.css('table tbody tr'))).length,
      (rows) => rows > 0 && rows < 12,
    );
    await click('//aside//a[text()="Open"] | //a[text()="Open"]');
    await says('h1', /^(vm-)?quay-3\S* at .*takes/);
    await says('[aria-label="Host"]', /times? as long|× as long/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('pods', () => {
  it('are named by their pattern, walked, and opened with what changed and what is around them', async () => {
    await browser.visit(`${dusk.url}/machines/pods?${windowOf(KILLED_PODS)}`);
    await says('h1', /^notices-\d and notices-\d were killed at the memory limit, \d+ times/);
    await says('[aria-label="Object"]', /was registry\.osier-reach\.example\/notices:4\.2\.0/);
    await press('j');
    await until(
      () => browser.driver.getCurrentUrl(),
      (url) => /object=pod(\+|%20)notices-/.test(url),
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await click('//button[.//b[text()="Killed at its memory limit"]]');
    await until(
      async () => (await browser.driver.findElements(By.css('section[aria-label=Pods] tbody tr'))).length,
      (rows) => rows === 2,
    );
    await click('//button[contains(@class, "node") and contains(., "vm-quay")]');
    await says('[aria-label="Object"] h2', /^vm-quay-/);
    await browser.driver.navigate().back();
    await says('[aria-label="Object"] h2', /^notices-/);
  });

  it('of another kind have the columns of its definition', async () => {
    await browser.visit(`${dusk.url}/machines/pods?${windowOf(KILLED_PODS)}&kind=mail%20route`);
    await says('table', /evening[\s\S]*23:30[\s\S]*post-hub\.example/);
    await click('//button[text()="until"]');
    await until(
      () => text('table'),
      (it) => !it.includes('23:30'),
    );
  });

  it('reserve more than they use, and run images with weaknesses', async () => {
    await browser.visit(`${dusk.url}/machines/reserved?${windowOf(KILLED_PODS)}`);
    await says('h1', /of [\d.]+ reserved cores and .* are not needed$/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.visit(`${dusk.url}/machines/images?${windowOf(KILLED_PODS)}`);
    await says('h1', /known weaknesses affect what runs; OR-2025-0811/);
    await press('j');
    await says('[aria-label="Weakness"] h2', /^OR-2026-0117/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

it('say what to do where nothing is known', async () => {
  const empty = 'from=2026-05-03T10:00:00Z&to=2026-05-03T11:00:00Z&before=just';
  for (const [page, words] of [
    ['machines', /No instance/],
    ['machines/hosts/nobody', /nobody/],
    ['machines/pods?object=pod%20nobody', /pods|pod/],
  ] as const) {
    await browser.visit(`${dusk.url}/${page}${page.includes('?') ? '&' : '?'}${empty}`);
    await says('main, body', words);
  }
});
