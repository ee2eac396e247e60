import { By } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type ViewedPage, worstBy } from '../../src/core/visits/pageViews.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, until } from '../support/installation.ts';
import { BLOCKED_PAGES, installWithHours, windowOf } from '../support/made/companyHours.ts';
import { getJson } from '../support/sending.ts';

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await installWithHours(BLOCKED_PAGES);
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
const click = async (xpath: string) => (await browser.driver.findElement(By.xpath(xpath))).click();
const press = (key: string) => browser.driver.actions().sendKeys(key).perform();
const open = (path: string) => browser.visit(`${dusk.url}${path}${path.includes('?') ? '&' : '?'}${windowOf(BLOCKED_PAGES)}`);
const address = () => browser.driver.getCurrentUrl();

describe('from Now', () => {
  it('it is two clicks to the script that blocks the pages, and to a visit that suffered from it', async () => {
    await open('/now');
    await says('aside', /Visitors[\s\S]*quayside-web ready in [\d.]+ s, not \d+ ms; \d+ of \d+ struggle/);
    await click('//aside//a[text()="quayside-web"]');
    await says('h1', /^Pages of quayside-web are ready in [\d.]+ s, not \d+ ms; one script is [\d.]+ s of it$/);
    await says('aside', /beacon-tags\.example tag\.js/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await click('//aside//a[text()="Visits of this page"]');
    await says('h1', /visits show signs of struggle$/);
    expect(await address()).toContain('who=page%3D%252F');
  });
});

describe('pages', () => {
  it('are walked by keys, narrowed by a value, and back again', async () => {
    await open('/visitors?app=quayside-web');
    await says('aside', /Where the .* of \/sailings went/);
    await press('j');
    await says('aside', /Where the .* of (?!\/sailings )/);
    await click('//section[.//h3[starts-with(., "Version")]]//button[text()="2.30"]');
    await says('[aria-label="Which visitors"]', /version\s+2\.30/);
    await says('h1', /^Pages of quayside-web are ready in \d+ ms/);
    await browser.driver.navigate().back();
    await says('h1', /one script is/);
  });

  it('are put in order by what goes wrong on them, in the address and at the keyboard', async () => {
    await open('/visitors?app=quayside-web');
    await says('aside', /Where the .* went/);
    const first = () => text('main table tbody tr:first-child');
    const { pages } = await getJson(dusk.url, `/api/visitors/pages?${windowOf(BLOCKED_PAGES)}&app=quayside-web`);
    for (const [view, last] of [
      ['errors', /errors/],
      ['struggle', /signs/],
    ] as const) {
      await click(`//thead//select//option[text()="${view}"]`);
      await until(address, (it) => it.includes(`view=${view}`));
      expect(await text('main table thead th:last-child')).toMatch(last);
      const [worst] = worstBy(view, pages as (ViewedPage & { page: string })[]);
      await until(first, (it) => it.includes(worst.page));
    }
    await browser.driver.navigate().back();
    await until(address, (it) => it.includes('view=errors'));
    await browser.driver.navigate().back();
    await until(address, (it) => !it.includes('view='));
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('keep the narrowing from tab to tab', async () => {
    await open('/visitors?app=quayside-web&who=region%3DTern');
    await says('[aria-label="Which visitors"]', /region\s+Tern/);
    await click('//nav[@aria-label="Visitors"]//a[text()="Third parties"]');
    await says('h1', /^beacon-tags\.example holds a load up by/);
    await says('[aria-label="Which visitors"]', /region\s+Tern/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('of nobody say so and offer the way out', async () => {
    await open('/visitors?app=quayside-web&who=region%3DNowhere');
    await says('main', /No visit of these visitors is known here/);
    await click('//button[text()="All visitors"]');
    await says('h1', /one script is/);
  });
});

describe('one visit', () => {
  it('is told in words and drawn; an answer leads into its trace, and that back', async () => {
    await open('/visitors/visits?app=quayside-web&order=waited');
    await until(
      () => browser.driver.findElements(By.css('main table a')),
      (it) => it.length > 0,
    );
    await click('(//main//table//a)[1]');
    await says('h1', /^guest-\d+ waited (\d+ min )?[\d.]+ s of /);
    await says('main', /Opens \/[\s\S]*beacon-tags\.example kept it for/);
    await says('aside', /Where the (\d+ min )?[\d.]+ s of waiting went[\s\S]*beacon-tags\.example/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await press('j');
    await until(
      () => browser.driver.findElements(By.css('ol li:nth-child(2)[data-chosen=true]')),
      (it) => it.length === 1,
    );
  });
});

describe('steps', () => {
  it('show where visitors leave; they are put together by clicks, and the address keeps them', async () => {
    await open('/visitors/steps?app=quayside-web');
    await says('h1', /search|hold places/);
    await says('main table', /went on[\s\S]*left, no sign/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await click('//summary[contains(., "edit the steps")]');
    await click('//li[contains(., "hold places")]//button[starts-with(., "drop")]');
    await until(address, (it) => it.includes('steps=') && !it.includes('hold'));
    await says('summary', /search › /);
    const field = await browser.driver.findElement(By.css('form input'));
    await field.clear();
    await field.sendKeys('action:search>nonsense');
    await says('[role=alert]', /action:search>page:\/pay/);
  });
});

describe('versions and checks', () => {
  it('say what goes wrong in which', async () => {
    await open('/visitors/versions?app=quayside-web');
    await says('h1', /^None of [\d\u202f]+ visits of quayside-web crashed, on 2 versions$/);
    await says('main', /beaconQueue is not defined/);
    await says('aside', /onHold \(app\/hold\.js:88\)/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await open('/visitors/checks');
    await says('h1', /Search a sailing/);
    await says('aside', /see sailings found[\s\S]*real views of/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('sites', () => {
  it('are added with a key of their own; what to put into the pages, and what is masked, is shown', async () => {
    await browser.visit(`${dusk.url}/visitors/sites`);
    await says('h1', /^No site reports visits yet$/);
    const [app, origins] = await browser.driver.findElements(By.css('main form input'));
    await app.sendKeys('quayside-web');
    await origins.sendKeys('www.osier-reach.example');
    await click('//button[text()="Add a site"]');
    await says('[role=alert]', /write it as https:/);
    await origins.clear();
    await origins.sendKeys('https://www.osier-reach.example');
    await click('//button[text()="Add a site"]');
    await says('h1', /^1 site reports visits$/);
    await says('code', new RegExp(`<script src="${dusk.url}/visits\\.js" data-site="site-[\\w-]{12}"`));
    await says('aside', /the page keeps Call Odo Brandt, •••, •••/);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});
