import { chmodSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';

/** Small, but large enough that an index beats looking at every row. */
const SMALL = `
  CREATE TABLE mooring (id int PRIMARY KEY, berth int NOT NULL, taken_by text NOT NULL);
  INSERT INTO mooring SELECT g, hashint4(g) & 4095, 'OR' || g FROM generate_series(1, 60000) g;
`;

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  const folder = mkdtempSync(join(tmpdir(), 'dusk-stand-ins-'));
  // Read by the application, which is another user when root starts it.
  chmodSync(folder, 0o755);
  writeFileSync(join(folder, 'harbour-db.sql'), SMALL);
  process.env.DUSK_STAND_INS = folder;
  dusk = await install();
  browser = await openBrowser();
});
afterAll(async () => {
  delete process.env.DUSK_STAND_INS;
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const button = (words: string) => browser.driver.findElement(By.xpath(`//button[contains(normalize-space(.), "${words}")]`));

it('the plan bench takes a statement from the address, proposes its values, and proves what is faster', async () => {
  const statement = 'SELECT id, taken_by FROM mooring WHERE berth = $1 ORDER BY id';
  await browser.visit(`${dusk.url}/databases/bench?of=harbour-db&sql=${encodeURIComponent(statement)}`);
  await until(
    () => text('select'),
    (words) => words.includes('harbour-db'),
  );
  await button('Look at it').click();
  const value = await browser.driver.wait(when.elementLocated(By.css('input[aria-label="$1, set 1"]')), 60_000);
  expect(Number(await value.getAttribute('value'))).toBeGreaterThanOrEqual(0);
  expect(await seriousFaults(browser.driver)).toEqual([]);
  const runs = browser.driver.findElement(By.css('input[type=number]'));
  expect(await runs.getAttribute('value')).toBe('9');

  await button('Try it').click();
  await until(
    async () => new URL(await browser.driver.getCurrentUrl()).pathname,
    (path) => path.startsWith('/databases/bench/'),
    30,
  );
  await until(
    () => text('h1'),
    (words) => /^An index.*: .+ → .+, the same \d+ rows$/.test(words),
    120,
  );
  await browser.awake();
  expect(await text('table')).toContain('on berth');
  const chosen = () => text('tr[data-chosen=true]');
  const first = await chosen();
  expect(first).toContain('index');
  await browser.driver.actions().sendKeys('k').perform();
  await until(chosen, (words) => words !== first);
  await browser.driver.actions().sendKeys('j').perform();
  await until(chosen, (words) => words === first);
  expect(await text('[aria-label="The text"]')).toContain('CREATE INDEX ON mooring (berth');
  expect(await text('[aria-label="Plan, original"]')).toContain('Seq Scan');
  expect(await text('[aria-label="Plan, chosen"]')).toContain('a new index');
  expect(await seriousFaults(browser.driver)).toEqual([]);

  await browser.driver.findElement(By.linkText('Try again with other values')).click();
  await until(
    () => browser.driver.findElement(By.css('textarea')).getAttribute('value'),
    (words) => words === statement,
  );
  expect(new URL(await browser.driver.getCurrentUrl()).searchParams.get('of')).toBe('harbour-db');
});

it('says what is wrong with a statement, and that a trial is not there', async () => {
  await browser.visit(`${dusk.url}/databases/bench?of=harbour-db&sql=${encodeURIComponent('SELECT pg_sleep(9)')}`);
  await until(
    () => text('select'),
    (words) => words.includes('harbour-db'),
  );
  await button('Look at it').click();
  const alert = await browser.driver.wait(when.elementLocated(By.css('form [role=alert]')), 30_000);
  expect(await alert.getText()).toContain('pg_sleep is volatile');
  await browser.visit(`${dusk.url}/databases/bench/nothing`);
  await until(
    () => text('main'),
    (words) => words.includes('no such trial'),
  );
});
