import { readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, until } from '../support/installation.ts';
import { HELD_LOCKS, installWithHours, windowOf } from '../support/made/companyHours.ts';
import { getJson, sendJson } from '../support/sending.ts';

let dusk: Installation;
let browser: Browser;
let other: Browser;
beforeAll(async () => {
  dusk = await installWithHours(HELD_LOCKS);
  browser = await openBrowser();
  other = await openBrowser();
}, 900_000);
afterAll(async () => {
  await browser?.close();
  await other?.close();
  await dusk?.stop();
});

const SCOPE = windowOf(HELD_LOCKS);
const open = (path: string, of = browser) => of.visit(`${dusk.url}${path}${path.includes('?') ? '&' : '?'}${SCOPE}`);
const text = (css: string, of = browser) =>
  of.driver
    .findElement(By.css(css))
    .getText()
    .catch(() => '');
const says = (css: string, words: RegExp, of = browser) =>
  until(
    () => text(css, of),
    (it) => words.test(it),
    40,
  );
const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
/** Clicks what is there, or will be in a moment. */
const click = async (xpath: string, of = browser) => {
  await until(
    () =>
      of.driver
        .findElement(By.xpath(xpath))
        .click()
        .then(() => true),
    (isDone) => isDone,
  );
};
/** The newest case. */
const newest = async () => (await getJson(dusk.url, '/api/casebook')).cases[0];
const contentOf = async (id: number) => (await getJson(dusk.url, `/api/casebook/${id}`)).content;
const begun = async (title: string): Promise<number> =>
  ((await sendJson(dusk.url, '/api/casebook', { by: 'Ines Halloran', title })) as unknown as { id: number }).id;

/** Writes into a shared text: the part of the page that shows it becomes an editor. */
async function write(label: string, words: string, of = browser, end: string = Key.ESCAPE): Promise<void> {
  await until(
    () => of.driver.findElements(By.css(`[aria-label="Write: ${label}"]`)),
    (it) => it.length > 0,
  );
  await of.driver.executeScript(`document.querySelector('[aria-label="Write: ${label}"]').click()`);
  await until(
    () => of.driver.findElements(By.css(`.cm-content[aria-label="${label}"]`)),
    (it) => it.length > 0,
  );
  await of.driver.actions().sendKeys(words).perform();
  if (end !== '') await of.driver.actions().sendKeys(end).perform();
}

describe('from a page', () => {
  it('p begins a case with what the page shows; the next p pins to it; c shows it beside the page', async () => {
    await open('/databases/manifest-db');
    await says('h1', /season-rollover/);
    await press('p');
    await says('.mantine-Menu-dropdown', /Pin to a new case[\s\S]*who waits for whom at/);
    await press(Key.ARROW_DOWN, Key.ENTER);
    await says('[class*=toast]', /Pinned to a new case/);
    const { id } = await newest();
    await open('/now');
    await says('h1', /got worse|worse/);
    await press('p');
    await says('.mantine-Menu-dropdown', new RegExp(`Pin to case ${id}[\\s\\S]*where it starts`));
    await press(Key.ARROW_DOWN, Key.ENTER);
    await says('[class*=toast]', /Pinned: /);
    await press('c');
    await says('[aria-label="The open case"]', /fig\. 1[\s\S]*fig\. 2/);
    await until(
      () => getJson(dusk.url, `/api/casebook/${id}/steps`),
      ({ steps }) => steps.length >= 2,
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
    const { steps } = await getJson(dusk.url, `/api/casebook/${id}/steps`);
    expect(steps[0].title).toMatch(/^Databases: .*season-rollover/);
    expect(steps[0].path).toContain('/databases/manifest-db?');
  });

  it('a moment that is marked stands on the ribbon of every page', async () => {
    await open('/map');
    await press('c');
    const line = await until(
      () => browser.driver.findElements(By.css('[aria-label="Mark the beginning of the lit window"]')),
      (it) => it.length === 1,
    );
    await line[0].sendKeys('roll-over begins', Key.ENTER);
    await until(
      async () => (await contentOf((await newest()).id)).marks.length,
      (it) => it === 1,
    );
    await open('/traces');
    await until(
      () => browser.driver.findElements(By.xpath('//*[name()="title" and contains(., "roll-over begins")]')),
      (it) => it.length > 0,
    );
  });
});

describe('a case', () => {
  it('is written by keyboard: log, hypotheses with their standing, what is asked; removed is taken back by u', async () => {
    const { id } = await newest();
    await open(`/casebook/${id}`);
    await says('article', /fig\. 2/);
    await press('w');
    await press('The job waits for a person', Key.ENTER);
    await says('article ol', /The job waits for a person/);
    const another = await browser.driver.findElement(By.css('[aria-label="What else could it be"]'));
    await another.sendKeys('The disk is slow', Key.ENTER);
    await says('article', /open\s+The disk is slow/);
    await click('//li[contains(., "The disk is slow")]//button[contains(., "open")]');
    await click('//*[contains(@class,"mantine-Menu-item") and contains(., "ruled out")]');
    await write('why it is ruled out', 'its waits are as before', browser, Key.ENTER);
    await click('//li[contains(., "The disk is slow")]//button[text()="evidence"]');
    await click('//button[@aria-pressed and contains(., "against") and contains(., "figure 1")]');
    await press(Key.ESCAPE);
    const asked = await browser.driver.findElement(By.css('[aria-label="What you ask of them"]'));
    await asked.sendKeys('Ask before the transaction begins', Key.ENTER);
    await write('whom it is handed to', 'Platform', browser, Key.ENTER);
    const said = await until(
      () => contentOf(id),
      (it) => it.team === 'Platform' && it.hypotheses[0]?.against.length === 1 && it.hypotheses[0].reason !== '',
    );
    expect(said.hypotheses[0]).toMatchObject({ standing: 'ruled out', reason: 'its waits are as before' });
    expect(said.asked[0].text).toBe('Ask before the transaction begins');
    await browser.driver.executeScript(`[...document.querySelectorAll('[aria-label^="Remove the entry"]')].at(-1).click()`);
    await until(
      () => contentOf(id),
      (it) => it.entries.length === 2,
    );
    await browser.driver.executeScript('document.activeElement.blur()');
    await press('u');
    await until(
      () => contentOf(id),
      (it) => it.entries.length === 3,
    );
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('works out its impact once it is known since when, and takes another figure by hand', async () => {
    const { id } = await newest();
    await click('//dt[text()="since"]/following-sibling::dd//button');
    const [typed] = await until(
      () => browser.driver.findElements(By.css('input[placeholder^="10:21"]')),
      (it) => it.length === 1,
    );
    await typed.sendKeys(new Date(HELD_LOCKS.begins).toISOString().slice(0, 16).replace('T', ' '), Key.ENTER);
    await until(
      () => contentOf(id),
      (it) => it.since === HELD_LOCKS.begins,
    );
    await says('article', /Of .*Waiting and people are beyond what is usual/);
    await click('//dt[text()="people"]/following-sibling::dd//button');
    const [people] = await until(
      () => browser.driver.findElements(By.xpath('//label[starts-with(., "Set people")]//input')),
      (it) => it.length === 1,
    );
    await people.sendKeys('180', Key.ENTER);
    await says('article dl', /people set by hand\s+180/);
    await until(
      () => contentOf(id),
      (it) => it.impact.people === 180,
    );
  });

  it('holds a figure against now: the same question of the lit window beside it', async () => {
    await click('(//button[starts-with(., "hold against now")])[last()]');
    await click('//*[contains(@class,"mantine-Menu-item") and contains(., "the lit window")]');
    await says('article', /then, [\s\S]*now, /);
  });
});

describe('the hand-over', () => {
  it('is shown as it will be sent; as a file it opens by itself, without script, and axe finds nothing serious', async () => {
    const { id } = await newest();
    await says(
      '[aria-label="The hand-over as Markdown"]',
      /## Impact[\s\S]*180[\s\S]*## What we saw[\s\S]*## What we ask of you/,
    );
    const html = await (await fetch(`${dusk.url}/casebook/${id}/hand-over.html?zone=UTC`)).text();
    const file = join(tmpdir(), `dusk-hand-over-${process.pid}.html`);
    writeFileSync(file, html);
    expect(readFileSync(file, 'utf8')).not.toMatch(/<script/i);
    await other.driver.get(`file://${file}`);
    await says(
      'main',
      /Impact[\s\S]*180[\s\S]*What we saw[\s\S]*Evidence[\s\S]*What was ruled out[\s\S]*The disk is slow/,
      other,
    );
    expect(await seriousFaults(other.driver)).toEqual([]);
    // Nothing of it is fetched from anywhere.
    const fetched = await other.driver.executeScript<string[]>(
      'return performance.getEntriesByType("resource").map(({ name }) => name)',
    );
    expect(fetched).toEqual([]);
  });

  it('tells one who has nothing but it the cause, the place, since when and the impact', async () => {
    const handOver = await text('main', other);
    expect(handOver).toMatch(/season-rollover/);
    expect(handOver).toMatch(/manifest-db/);
    expect(handOver).toMatch(/Since \d+ May 2026 \d\d:\d\d:00 UTC/);
    expect(handOver).toMatch(/requests failed\s+\d+ of \d+/);
  });

  it('can be frozen for people who may only read', async () => {
    await click('//button[text()="make a link to a frozen view"]');
    const link = await until(
      () => browser.driver.findElements(By.css('a[href^="/casebook/read/"]')),
      (it) => it.length === 1,
    );
    await other.driver.get(`${dusk.url}${await link[0].getDomAttribute('href')}`);
    await says('main', /a frozen view[\s\S]*Impact/, other);
  });
});

describe('two browsers in one case', () => {
  it('see each other within seconds; the application is killed in the middle and nothing is lost', async () => {
    const id = await begun('Together');
    await browser.visit(`${dusk.url}/casebook/${id}`);
    await other.visit(`${dusk.url}/casebook/${id}`);
    await write('notes', 'from here. ', browser, '');
    await says('article', /from here\./, other);
    await write('notes', ' From there.', other, '');
    await says('article', /From there\./);
    process.kill(dusk.application.pid, 'SIGKILL');
    await dusk.application.ended;
    await browser.driver.actions().sendKeys(' While it was away').perform();
    await other.driver.actions().sendKeys(' Both wrote').perform();
    await says('article header', /The application cannot be reached/);
    await dusk.startApplication();
    const { notes } = await until(
      () => contentOf(id),
      (it) => /While it was away/.test(it.notes) && /Both wrote/.test(it.notes),
      60,
    );
    for (const words of ['from here.', 'From there.', 'While it was away', 'Both wrote']) expect(notes).toContain(words);
    await says('article header', /saved/);
    await says('article', /Both wrote/);
    await says('article', /While it was away/, other);
  });
});

describe('from an incident, a complaint and a lead', () => {
  it('a complaint that is pasted becomes a case with what was found of it', async () => {
    await browser.driver.executeScript('localStorage.removeItem("lantern.case")');
    const { traces } = await getJson(
      dusk.url,
      `/api/traces?${SCOPE.replace(/&before=.*/, '')}&entry=${encodeURIComponent('PUT /bookings/{ref}')}&sort=-duration&limit=1`,
    );
    await open('/now');
    await press('/');
    await press(traces[0].traceId);
    await says('[aria-label="What it may be"]', /begin a case about/);
    await click(`//*[@role="option" and contains(., "begin a case about")]`);
    await says('article', /fig\. 1/);
    const it = await newest();
    expect(it.title).toBe(`Complaint: ${traces[0].traceId}`);
    expect((await getJson(dusk.url, `/api/casebook/${it.id}`)).pins[0].kind).toBe('trace');
  });

  it('a row of a contrast becomes a hypothesis, with the row as its evidence', async () => {
    await open('/contrast?how=slow');
    await says('[aria-label="The chosen hypothesis"]', /Keep as a lead of case \d+/);
    await click('//button[starts-with(., "Keep as a lead")]');
    const { hypotheses } = await until(
      async () => contentOf((await newest()).id),
      (it) => it.hypotheses.length === 1,
    );
    expect(hypotheses[0].for).toHaveLength(1);
  });
});

describe('the casebook', () => {
  it('lists cases, finds by text, and takes back what was deleted', async () => {
    const id = await begun('To be deleted');
    await browser.visit(`${dusk.url}/casebook/${id}`);
    await says('article', /To be deleted/);
    await click('//button[contains(., "save or delete the case")]');
    await click('//*[contains(@class,"mantine-Menu-item") and contains(., "delete")]');
    await says('aside[aria-label="Casebook"]', /Deleted within a day[\s\S]*To be deleted/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await click('//button[starts-with(., "take back")]');
    await says('[aria-label="Cases"]', /To be deleted/);
    await (await browser.driver.findElement(By.css('[aria-label="Find in cases"]'))).sendKeys('together');
    await until(
      () => text('[aria-label="Cases"]'),
      (it) => /Together/.test(it) && !/To be deleted/.test(it),
    );
  });
});
