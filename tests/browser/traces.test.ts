import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { sendSpans } from '../support/sending.ts';

const MINUTE = 60_000;
const end = Math.floor(Date.now() / MINUTE) * MINUTE;
/** The last hour of the data, standing still, so that counts stay. */
const HOUR = `from=${new Date(end - 60 * MINUTE).toISOString()}&to=${new Date(end).toISOString()}`;

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  const spans = simulateDay({ endMs: end, hours: 1.5, seed: 3, scale: 0.4 });
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000));
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await dusk?.stop();
});

const text = (css: string) => browser.driver.findElement(By.css(css)).getText();
const address = async () => new URL(await browser.driver.getCurrentUrl());
const press = (...keys: string[]) =>
  browser.driver
    .actions()
    .sendKeys(...keys)
    .perform();
const button = (words: string) =>
  browser.driver.findElement(By.xpath(`//button[contains(normalize-space(.), ${JSON.stringify(words)})]`));
const rowCount = async () => (await browser.driver.findElements(By.css('[role=listitem]'))).length;
const total = async () => Number(/([\d\u202f]+) traces/.exec(await text('main'))?.[1].replaceAll('\u202f', ''));

async function open(path: string): Promise<void> {
  await browser.visit(dusk.url + path);
  await browser.driver.wait(when.elementLocated(By.css('[role=listitem] a, [role=treegrid], [role=status] h2')), 10_000);
  // The island has taken over when the window it chose stands in the address.
  await until(address, (url) => url.search !== '');
}

describe('the list of traces', () => {
  it('opens from the bare address with a sentence from the data, the longest first, and the window in the address', async () => {
    await open('/traces');
    expect((await address()).searchParams.get('last')).toBe('60min');
    expect(await text('h1')).toMatch(/^[\d\u202f]+ requests, most under .+, the slowest [\d.]+ s$/);
    const took = await Promise.all(
      (await browser.driver.findElements(By.css('[role=listitem] a'))).slice(0, 5).map((row) => row.getText()),
    );
    const seconds = took.map((row) => Number(/([\d.]+) s\n/.exec(row)?.[1]));
    expect(seconds).toEqual([...seconds].sort((a, b) => b - a));
    expect(seconds[0]).toBeGreaterThan(3);
  });

  it('narrows by a click, shows it as a chip and in the address, and gives it back', async () => {
    await open(`/traces?${HOUR}`);
    const all = await total();
    await (await button('berths')).click();
    await until(total, (count) => count < all);
    expect((await address()).searchParams.get('where')).toBe('service is berths');
    const chip = browser.driver.findElement(By.css('header [role=group] button[aria-pressed]'));
    expect(await chip.getText()).toBe('berths');
    const narrowed = await total();

    await chip.click();
    await until(total, (count) => count === all);
    expect((await address()).searchParams.get('where')).toBe('off:service is berths');
    await chip.click();
    await until(total, (count) => count === narrowed);

    const turn = browser.driver.findElement(By.css('button[aria-label="is: turn service round"]'));
    await turn.click();
    await until(total, (count) => count === all - narrowed);
    await browser.driver.navigate().back();
    await until(total, (count) => count === narrowed);

    await (await button('3 s')).click();
    await until(total, (count) => count < narrowed);
    await browser.driver.navigate().back();
    await until(total, (count) => count === narrowed);
    await browser.driver.findElement(By.css('button[aria-label="Drop service is berths"]')).click();
    await until(total, (count) => count === all);
  });

  it('narrows by what is typed', async () => {
    await open(`/traces?${HOUR}`);
    const all = await total();
    await (await button('+ narrow')).click();
    const input = await browser.driver.wait(when.elementLocated(By.css('input[placeholder^=coach]')), 3000);
    await input.sendKeys('> soon', Key.ENTER);
    expect(await (await browser.driver.wait(when.elementLocated(By.css('form [role=alert]')), 3000)).getText()).toContain(
      'no duration',
    );
    await input.sendKeys(Key.chord(Key.CONTROL, 'a'), '> 2.5 s', Key.ENTER);
    await until(total, (count) => count < all);
    expect((await address()).searchParams.get('where')).toBe('duration at least 2.5s');
  });

  it('narrows to durations by a drag across the picture', async () => {
    await open(`/traces?${HOUR}`);
    const all = await total();
    // Beside the times: from half-way up to near the top.
    const picture = browser.driver.findElement(By.css('main svg[aria-label^="Durations"]'));
    const { width } = await picture.getRect();
    await browser.driver
      .actions()
      .move({ origin: picture, x: Math.round(width / 2) - 100, y: 20 })
      .press()
      .move({ origin: picture, x: Math.round(width / 2) - 100, y: -50 })
      .release()
      .perform();
    await until(total, (count) => count < all);
    expect((await address()).searchParams.get('where')).toMatch(/^duration at least .+s;duration at most .+s$/);
  });

  it('narrows to a rectangle of times and durations, and opens the request under the pointer', async () => {
    await open(`/traces?${HOUR}`);
    const all = await total();
    const picture = browser.driver.findElement(By.css('main svg[aria-label^="Durations"]'));
    await until(
      () => browser.driver.executeScript<number>('return document.querySelector("main canvas").width'),
      (width) => width > 300,
    );
    await browser.driver
      .actions()
      .move({ origin: picture, x: -300, y: -60 })
      .press()
      .move({ origin: picture, x: 0, y: 40 })
      .release()
      .perform();
    const narrowed = await until(total, (count) => count < all);
    const url = await address();
    expect(url.searchParams.get('where')).toMatch(/^duration at least/);
    expect(Date.parse(url.searchParams.get('to')!) - Date.parse(url.searchParams.get('from')!)).toBeLessThan(45 * MINUTE);
    expect(narrowed).toBeGreaterThan(0);
  });

  it('narrows by a line that is completed, and says what is wrong where it is', async () => {
    await open(`/traces?${HOUR}`);
    const all = await total();
    const line = browser.driver.findElement(By.css('input[aria-label="Narrow by a line of text"]'));
    await line.sendKeys('berths above', Key.ENTER);
    expect(await (await browser.driver.wait(when.elementLocated(By.css('#filter-wrong')), 3000)).getText()).not.toBe('');
    await line.sendKeys(Key.chord(Key.CONTROL, 'a'), 'holds above berths > 40ms', Key.ENTER);
    await until(total, (count) => count < all);
    expect((await address()).searchParams.get('where')).toBe(
      'span where service is holds above service is berths and duration over 40ms',
    );
    await line.sendKeys('ferry.vehicle_class is ');
    const offer = await browser.driver.wait(when.elementLocated(By.xpath('//*[@role="option"][contains(., "coach")]')), 5000);
    await offer.click();
    await until(
      async () => (await address()).searchParams.get('where') ?? '',
      (where) => where.endsWith('ferry.vehicle_class is coach'),
    );
  });

  it('gathers requests by what they have in common, sorted by any figure, each leading to its requests', async () => {
    await open(`/traces?${HOUR}`);
    await (await button('grouped')).click();
    const first = () => text('main tbody tr td');
    await until(first, (words) => words !== '');
    await (await button('calls')).click();
    await until(first, (words) => words === 'GET /sailings');
    const select = browser.driver.findElement(By.css('main select'));
    await select.findElement(By.xpath('.//option[.="service"]')).click();
    await until(first, (words) => words === 'gangway');
    expect((await address()).searchParams.get('by')).toBe('service');
    // What is not up to date is dimmed.
    await browser.driver.wait(when.elementLocated(By.css('main table[data-stale=false]')), 5000);
    // A column can be left out, and comes back.
    const heads = () =>
      browser.driver.executeScript<string[]>("return [...document.querySelectorAll('main thead th')].map((it) => it.innerText)");
    await (await button('columns, save')).click();
    const p99 = () => browser.driver.wait(when.elementLocated(By.xpath('//*[@role="menuitem"][contains(., "p99")]')), 5000);
    await (await p99()).click();
    await until(heads, (names) => !names.includes('p99') && names.includes('p95'));
    await (await p99()).click();
    await until(heads, (names) => names.includes('p99'));
    await press(Key.ESCAPE);
    expect(await seriousFaults(browser.driver)).toEqual([]);
    // One step leads to what sets a group apart from all others.
    const leads = await browser.driver
      .findElement(By.xpath('//main//tr[td/button[.="berths"]]//a[.="contrast"]'))
      .getAttribute('href');
    const { pathname, searchParams } = new URL(leads!);
    expect([pathname, searchParams.get('how'), searchParams.get('a')]).toEqual(['/contrast', 'sets', 'service is berths']);
    await browser.driver.findElement(By.xpath('//main//td/button[.="berths"]')).click();
    await until(
      async () => (await address()).searchParams.get('where'),
      (where) => where === 'service is berths',
    );
  });

  it('opens a file without storing it', async () => {
    await open(`/traces?${HOUR}`);
    const traceId = /traces\/([0-9a-f]{32})/.exec(
      (await browser.driver.findElement(By.css('[role=listitem] a')).getAttribute('href'))!,
    )![1];
    const sent = await (await fetch(`${dusk.url}/api/traces/${traceId}/otlp`)).text();
    const file = join(mkdtempSync(join(tmpdir(), 'dusk-file-')), 'kept.json');
    writeFileSync(file, sent.replaceAll(traceId, '9'.repeat(32)));
    await browser.driver.findElement(By.css('input[type=file]')).sendKeys(file);
    await until(
      () => text('main'),
      (words) => /Not stored\.\s+From kept\.json/.test(words),
    );
    await browser.driver.wait(when.elementLocated(By.css('[role=treegrid] [role=row]')), 5000);
    await until(
      () => text('[aria-label=Span]'),
      (words) => words.includes('service.name'),
    );
    await (await button('close')).click();
    await until(rowCount, (count) => count > 5);
  });

  it('lights another window by a drag, an edge, the arrows, a typed time', async () => {
    // The words about a before window of another day are long, and lie across an edge: it can be taken hold of all the same.
    const days = (ago: number) => new Date(end - ago * 24 * 60 * MINUTE).toISOString();
    await open(`/traces?last=60min&before=${days(3)}/${days(2.9)}`);
    await until(
      async () => (await button('before: ')).getText(),
      (words) => /own choice \w{3} \d/.test(words),
    );
    const lit = async () => {
      const url = await address();
      return { from: Date.parse(url.searchParams.get('from') ?? ''), to: Date.parse(url.searchParams.get('to') ?? '') };
    };
    const body = browser.driver.findElement(By.css('[aria-label="Lit window"]'));
    await browser.driver.actions().move({ origin: body }).press().move({ origin: body, x: -200 }).release().perform();
    const moved = await until(lit, ({ from }) => from < Date.now() - 70 * MINUTE);
    expect(moved.to - moved.from).toBeCloseTo(60 * MINUTE, -3);

    const edge = browser.driver.findElement(By.css('[aria-label="Start of the lit window"]'));
    await browser.driver.actions().move({ origin: edge }).press().move({ origin: edge, x: 100 }).release().perform();
    const pulled = await until(lit, ({ from }) => from > moved.from);
    expect(pulled.to).toBe(moved.to);

    await edge.sendKeys(Key.ARROW_LEFT);
    expect((await until(lit, ({ from }) => from !== pulled.from)).from).toBe(pulled.from - MINUTE);

    await (await button('lit ')).click();
    const input = await browser.driver.wait(when.elementLocated(By.css('input[placeholder="14:02 to 14:32"]')), 30_000);
    await input.sendKeys('last 90 min', Key.ENTER);
    await until(address, (url) => url.searchParams.get('last') === '90min');
  });

  it('is worked by keyboard: rows, the order, a trace, and back', async () => {
    await open('/traces?last=60min');
    await press('j', 'j', 'k', 'j');
    const chosen = await browser.driver.findElement(By.css('a[data-chosen=true]'));
    const href = (await chosen.getAttribute('href'))!;
    await press(Key.ENTER);
    await until(address, (url) => href.startsWith(url.origin + url.pathname));
    await browser.driver.wait(when.elementLocated(By.css('[role=treegrid]')), 30_000);
    await browser.awake();
    expect((await address()).searchParams.get('last')).toBe('60min');
    await press(Key.ESCAPE);
    await until(address, (url) => url.pathname === '/traces');
  });

  it('fetches more as the end comes near', async () => {
    await open('/traces?last=120min');
    const scroller = browser.driver.findElement(By.css('[role=list]'));
    const height = () => browser.driver.executeScript<number>('return arguments[0].scrollHeight', scroller);
    const before = await height();
    await browser.driver.executeScript('arguments[0].scrollTop = 1e9', scroller);
    await until(height, (now) => now > before);
    expect(await rowCount()).toBeLessThan(80);
  });

  it('says what is empty, and leads out', async () => {
    await open('/traces?from=2026-01-01T00:00Z&to=2026-01-01T01:00Z&where=service is berths');
    expect(await text('main [role=status]')).toContain('No data stored for this time');
    await (await button('Light the last hour with data')).click();
    await until(rowCount, (count) => count > 5);
    await browser.visit(`${dusk.url}/traces?where=service is nobody`);
    await (await browser.driver.wait(when.elementLocated(By.xpath('//button[.="Drop the narrowing"]')), 5000)).click();
    await until(rowCount, (count) => count > 5);
  });

  it('finds a trace by its id or a header, wherever it is pasted from', async () => {
    await open('/traces?last=60min');
    const traceId = /traces\/([0-9a-f]{32})/.exec(
      (await browser.driver.findElement(By.css('[role=listitem] a')).getAttribute('href'))!,
    )![1];
    await press('/');
    await press('no id here', Key.ENTER);
    await until(
      () => text('header [role=status]'),
      (words) => words.includes('No stored span contains this text'),
    );
    await press(Key.chord(Key.CONTROL, 'a'), `traceparent: 00-${traceId}-b7ad6b7169203331-01`, Key.ENTER);
    await until(address, (url) => url.pathname === `/traces/${traceId}`);
  });

  it('shows on paper as at dusk, and remembers', async () => {
    await open('/traces?last=60min');
    const ground = () => browser.driver.executeScript<string>('return getComputedStyle(document.body).backgroundColor');
    const dark = await ground();
    await browser.driver.findElement(By.css('[aria-label="Show on paper"]')).click();
    expect(await until(ground, (colour) => colour !== dark)).toBe('rgb(246, 241, 232)');
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.navigate().refresh();
    expect(await ground()).toBe('rgb(246, 241, 232)');
    await browser.driver.findElement(By.css('[aria-label="Show at dusk"]')).click();
    await until(ground, (colour) => colour === dark);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('lists its keys', async () => {
    await open('/traces?last=60min');
    await browser.driver.findElement(By.css('[aria-label="List of keys"]')).click();
    const dialog = await browser.driver.wait(when.elementLocated(By.css('[role=dialog]')), 3000);
    await until(
      async () => dialog.getText(),
      (words) => words.includes('along the critical path'),
    );
  });

  it('asks for nothing that the browser refuses, and throws nothing', async () => {
    await open(`/traces?${HOUR}`);
    const lines = await browser.driver.manage().logs().get('browser');
    expect(
      lines.filter((line) => line.level.name === 'SEVERE' && !/40\d/.test(line.message)).map((line) => line.message),
    ).toEqual([]);
  });

  it.each(['/traces', '/now', '/map', '/services/holds', '/machines'])(
    '%s stays under 250 kB of script, as it is sent',
    async (page) => {
      const { existsSync, readFileSync } = await import('node:fs');
      await browser.visit(`${dusk.url}${page}?last=60min`);
      await browser.awake();
      const names = await browser.driver.executeScript<string[]>(
        'return performance.getEntriesByType("resource").map((it) => it.name).filter((name) => name.endsWith(".js"))',
      );
      expect(names.length).toBeGreaterThan(1);
      // Small files are sent as they are.
      const sent = (path: string) =>
        [`${path}.br`, path].flatMap((file) => (existsSync(file) ? [readFileSync(file).length] : []))[0];
      const bytes = names.reduce((sum, name) => sum + sent(`dist/client${new URL(name).pathname}`), 0);
      expect(bytes).toBeLessThan(250_000);
    },
  );

  it('is saved as CSV: all of it, in its order, not only the rows in sight', async () => {
    await open(`/traces?${HOUR}`);
    const count = await total();
    expect(count).toBeGreaterThan(100);
    await browser.driver.executeScript(`window.saved = []; URL.createObjectURL = (blob) => { window.saved.push(blob); return 'blob:none'; };
      HTMLAnchorElement.prototype.click = () => {};`);
    await button('save as CSV').click();
    await until(
      () => browser.driver.executeScript<number>('return window.saved.length'),
      (saved) => saved === 1,
    );
    const csv: string = await browser.driver.executeAsyncScript('window.saved[0].text().then(arguments[0])');
    const [head, ...rows] = csv.split('\r\n');
    expect(head).toMatch(/^trace id,began,service,entry,duration ns,/);
    expect(rows).toHaveLength(count);
    const durations = rows.map((row) => Number(row.split(',')[4]));
    expect(durations).toEqual([...durations].sort((a, b) => b - a));
    expect(new Set(rows.map((row) => row.split(',')[0])).size).toBe(count);
  });
});

describe('when the store is away', () => {
  it('keeps what is shown, says what it cannot work out, and goes on when the store is back', async () => {
    await open('/traces?last=60min');
    const all = await total();
    await dusk.cluster.stop();
    const reads = (words: string) =>
      until(
        () => text('main'),
        (shown) => shown.includes(words),
        60,
      );
    await reads('Not up to date: The database cannot be reached.');
    expect(await total()).toBeGreaterThan(all / 2);
    await (await button('berths')).click();
    await reads('This could not be worked out');
    await dusk.startCluster();
    await (await button('Try again')).click();
    await until(total, (count) => count < all);
  });
});
