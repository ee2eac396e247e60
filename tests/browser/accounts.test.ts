import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administratorLink } from '../../src/server/commands/administratorLink.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { invited, PASSWORD, signedIn, WITH_ACCOUNTS } from '../support/people.ts';

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install({ reach: WITH_ACCOUNTS });
  browser = await openBrowser();
  await browser.driver.manage().window().setRect({ width: 1280, height: 800 });
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) =>
  browser.driver
    .findElement(By.css(css))
    .getText()
    .catch(() => '');
const says = (css: string, words: RegExp) =>
  until(
    () => text(css),
    (it) => words.test(it),
  );
const at = async () => new URL(await browser.driver.getCurrentUrl());
const field = (label: string) => browser.driver.findElement(By.xpath(`//label[contains(., ${JSON.stringify(label)})]//input`));
const press = (words: string) =>
  browser.driver.findElement(By.xpath(`//button[contains(normalize-space(.), ${JSON.stringify(words)})]`)).click();
/** Types into the field that has the focus, and goes on to the next. */
const type = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();

describe('the first administrator', () => {
  it('is told where the way in is, and comes in by the link of the command line, by keyboard', async () => {
    await browser.visit(`${dusk.url}/map`);
    await says('h1', /Nobody has an account yet/);
    expect(await text('main')).toContain('./dusk administrator');
    process.env.DATABASE_URL = dusk.cluster.url;
    const path = await administratorLink();
    await closeConnections();
    await browser.visit(dusk.url + path);
    await says('h1', /Come in/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await until(
      () => browser.driver.executeScript<string>('return document.activeElement.tagName'),
      (it) => it === 'INPUT',
    );
    await type('Ines Halloran', Key.TAB, 'ines@osier.example', Key.TAB, 'dusk lantern 1', Key.ENTER);
    await says('[role=alert]', /everybody tries first/);
    const password = await field('Password');
    await password.clear();
    await password.sendKeys(PASSWORD, Key.ENTER);
    await browser.driver.wait(when.urlContains('/now'), 10_000);
    await says('nav[aria-label=Pages]', /You/);
  });
});

describe('a person', () => {
  it('signs out, and comes back to the page that was asked for with one more click', async () => {
    await browser.visit(`${dusk.url}/account`);
    await says('h1', /Ines Halloran, administrator/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await press('Sign out');
    await browser.driver.wait(when.urlContains('/sign-in'), 10_000);
    await browser.visit(`${dusk.url}/intake/masking?last=24h`);
    expect((await at()).pathname).toBe('/sign-in');
    await says('h1', /Sign in/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await until(
      () => browser.driver.executeScript<string>('return document.activeElement.tagName'),
      (it) => it === 'INPUT',
    );
    await type('ines@osier.example', Key.TAB, 'not the password', Key.ENTER);
    await says('[role=alert]', /do not belong together/);
    const password = await field('Password');
    await password.clear();
    await password.sendKeys(PASSWORD, Key.ENTER);
    await browser.driver.wait(when.urlContains('/intake/masking'), 10_000);
    expect((await at()).search).toContain('last=');
  });

  it('makes a token for a program, which is shown once', async () => {
    await browser.visit(`${dusk.url}/account`);
    await (await field('Name')).sendKeys('night job', Key.ENTER);
    await says('main [class*=once]', /dlp_[\w-]{40}/);
    await press('I have it');
    expect(await browser.driver.findElement(By.css('main')).getText()).not.toMatch(/dlp_[\w-]{40}/);
    expect(await text('main')).toMatch(/night job\s+dlp_/);
  });

  it('sets up a second factor from a picture or by hand', async () => {
    await (await browser.driver.findElement(By.xpath('//form[contains(., "Set it up")]//input'))).sendKeys(PASSWORD, Key.ENTER);
    await until(
      () => browser.driver.findElements(By.css('[role=img] svg path')),
      (it) => it.length > 0,
    );
    expect(await text('main')).toMatch(/\b[A-Z2-7]{32,}\b/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('an administrator', () => {
  it('invites, sees who is invited, and takes it back', async () => {
    await browser.visit(`${dusk.url}/people`);
    await says('h1', /One person may come in/);
    await (await field('Address of mail')).sendKeys('tomas@osier.example', Key.ENTER);
    await says('main [class*=once]', /\/join\/dli_/);
    await says('h1', /, 1 invited/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await press('Take back');
    await says('h1', /^One person may come in$/);
  });

  it('makes a token for a sender, and ends it', async () => {
    await browser.visit(`${dusk.url}/intake/tokens`);
    await says('h1', /No sender can send yet/);
    await (await field('Name')).sendKeys('quay', Key.ENTER);
    await says('main [class*=once]', /dls_/);
    await says('h1', /One token is good/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await press('End now');
    await says('h1', /No sender can send yet/);
  });

  it('reads what was done, and finds of it what they look for', async () => {
    await browser.visit(`${dusk.url}/people/audit`);
    await says('table', /POST \/api\/intake\/tokens\/end/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await (await field('Of whom')).sendKeys('invitations');
    await says('table', /^(?![\s\S]*tokens\/end)[\s\S]*invitations\/removal/);
    await browser.driver.findElement(By.css('tbody button')).click();
    await says('aside', /tomas@osier\.example/);
  });
});

it('the page of the provider says what the provider has to be told', async () => {
  await browser.visit(`${dusk.url}/people/provider`);
  await says('h1', /People sign in by password/);
  expect(await text('aside')).toContain(`${dusk.url}/api/account/callback/company`);
  expect(await seriousFaults(browser.driver)).toEqual([]);
});

describe('somebody who may only read', () => {
  /** What there is to press or to write into, by its words. */
  const controls = () =>
    browser.driver.executeScript<string[]>(`
      return [...document.querySelectorAll('button, input, textarea, select')]
        .filter((it) => !it.matches(':disabled') && it.checkVisibility())
        .map((it) => it.getAttribute('aria-label') ?? it.closest('label')?.innerText ?? it.innerText)`);
  const PAGES = [
    ['/casebook', 'Begin a case'],
    ['/casebook/1', 'Write: title'],
    ['/casebook/1', 'An entry of the log'],
    ['/casebook/1', 'make a link to a frozen view'],
    ['/now/incidents', '+ rule'],
    ['/visitors/sites', 'Add a site'],
    ['/databases/bench', 'Add a server'],
  ] as const;
  const shown = async (path: string) => {
    await browser.visit(dusk.url + path);
    await browser.awake();
    await browser.driver.wait(when.elementLocated(By.css('h1')), 10_000);
  };

  it('is not offered what they may not do, and can still read', async () => {
    const ines = await signedIn(dusk.url, 'ines@osier.example');
    await ines.json('/api/casebook', { title: 'Holds wait', by: 'Ines Halloran' });
    for (const [path, control] of PAGES) {
      await shown(path);
      await until(controls, (all) => all.some((it) => it.includes(control)), 20).catch((error: Error) => {
        throw new Error(`${path}: ${error.message}`);
      });
    }
    const rhea = await invited(dusk.url, ines, 'Rhea Tolland', 'reader');
    await browser.driver.manage().deleteAllCookies();
    for (const cookie of rhea.cookie.split('; ')) {
      const [name, ...value] = cookie.split('=');
      await browser.driver.manage().addCookie({ name, value: value.join('=') });
    }
    for (const [path, control] of PAGES) {
      await shown(path);
      expect((await controls()).filter((it) => it.includes(control))).toEqual([]);
      expect(await seriousFaults(browser.driver)).toEqual([]);
    }
    // Rules can be tried, and not be put in force.
    await shown('/intake/masking');
    await press('+ key');
    await says('main', /tried here only: administrators put rules in force/);
    await shown('/casebook/1');
    await says('h1', /Holds wait/);
    // Neither the key that pins nor a click on a text begins to write.
    await type('p');
    await browser.driver.findElement(By.css('h1 > div')).click();
    expect(await browser.driver.findElements(By.css('[role=menu], [contenteditable]'))).toEqual([]);
  });
});
