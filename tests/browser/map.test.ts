import { By, Key, until as when } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import { seriousFaults } from '../support/accessibility.ts';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { manyCalls } from '../support/made/manyCalls.ts';
import { getJson, sendSpans } from '../support/sending.ts';

const MINUTE = 60_000;
const END = Math.floor(Date.now() / MINUTE) * MINUTE;
const at = (minutes: number) => new Date(END + minutes * MINUTE).toISOString();
/** berths 4.7.0 began 80 minutes before the end. */
const WINDOWS = `from=${at(-60)}&to=${at(0)}&before=${at(-150)}/${at(-90)}`;

let dusk: Installation;
let browser: Browser;
beforeAll(async () => {
  dusk = await install();
  const spans = simulateDay({ endMs: END, hours: 2.6, seed: 5, scale: 0.5 });
  for (let from = 0; from < spans.length; from += 2000) await sendSpans(dusk.url, spans.slice(from, from + 2000), { gzip: true });
  browser = await openBrowser();
  await browser.driver.manage().window().setRect({ width: 1280, height: 800 });
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

/** Opens the map and waits until it has said where trouble starts. */
async function openMap(more = ''): Promise<void> {
  await browser.visit(`${dusk.url}/map?${WINDOWS}${more}`);
  await browser.driver.wait(when.elementLocated(By.css('.react-flow__node')), 20_000);
  await until(
    () => text('h1'),
    (words) => !words.includes('…'),
  );
}

interface Plate {
  readonly id: string;
  readonly place: string;
  readonly role: string;
  readonly dim: string;
  readonly words: string;
}
const plates = (): Promise<Plate[]> =>
  browser.driver.executeScript(`return [...document.querySelectorAll('.react-flow__node')].map((it) => ({
    id: it.dataset.id, place: it.style.transform, role: it.firstElementChild.dataset.role, dim: it.firstElementChild.dataset.dim, words: it.innerText }))`);
const plate = async (id: string) => (await plates()).find((it) => it.id === id)!;

describe('the map', () => {
  it('says where slowness starts, and lights those plates alone; their callers only pass it on', async () => {
    await openMap();
    // Of another journey, crew asks once for each member of a crew: little beside what berths costs, and named when its share is enough.
    const said = (await text('h1')).replace('Slowness starts in ', '').split(' and ');
    expect(said[0]).toBe('berths');
    expect(['crew', undefined]).toContain(said[1]);
    const all = await plates();
    expect(
      all
        .filter(({ role }) => role.startsWith('starts'))
        .map(({ id }) => id)
        .sort(),
    ).toEqual(said);
    expect((await plate('berths')).words).toContain('starts here');
    expect((await plate('holds')).role).toBe('passes-slowness');
    expect((await plate('gangway')).role).toBe('passes-slowness');
    expect((await plate('fares')).role).toBe('none');
    expect(all.map(({ id }) => id)).toEqual(
      expect.arrayContaining(['database:sailing-db', 'queue:notice-queue', 'cache:fare-cache']),
    );
  });

  it('is laid out from left to right by the calls, and stands still when only figures change', async () => {
    const places = new Map((await plates()).map(({ id, place }) => [id, place]));
    const x = (id: string) => Number(/translate\((-?[\d.]+)px/.exec(places.get(id)!)![1]);
    expect(x('gangway')).toBeLessThan(x('holds'));
    expect(x('holds')).toBeLessThan(x('berths'));
    expect(x('berths')).toBeLessThan(x('database:sailing-db'));
    const words = (await plate('gangway')).words;
    await browser.visit(`${dusk.url}/map?from=${at(-40)}&to=${at(-10)}&before=${at(-150)}/${at(-90)}`);
    await browser.driver.wait(when.elementLocated(By.css('.react-flow__node')), 20_000);
    expect(new Map((await plates()).map(({ id, place }) => [id, place]))).toEqual(places);
    expect((await plate('gangway')).words).not.toBe(words);
  });

  it('tells of a plate in the panel, and the address leads back to it', async () => {
    await openMap();
    await browser.driver.findElement(By.css('[data-id="berths"]')).click();
    await until(
      () => text('aside'),
      (words) => /Slowness starts here: \d+ % of .+ that requests waited longer/.test(words),
    );
    expect((await address()).searchParams.get('node')).toBe('berths');
    await browser.driver.navigate().refresh();
    await until(
      () => text('aside'),
      (words) => words.startsWith('berths'),
    );
    await browser.driver.wait(when.elementLocated(By.css('[data-id="holds"]')), 10_000);
    await browser.driver.findElement(By.css('[data-id="holds"]')).click();
    await until(
      () => text('aside'),
      (words) => /Slowness only passes through here;\s+it starts in\s+berths/.test(words),
    );
    const seen = await browser.driver.findElement(By.xpath('//aside//p[starts-with(., "Seen in")]/a'));
    expect(await seen.getAttribute('href')).toMatch(/\/traces\/[0-9a-f]{32}\?/);
  });

  it('is walked along the calls by keys, and Enter opens the page of a plate', async () => {
    await openMap();
    await browser.driver.executeScript("document.querySelector('[role=application]').focus()");
    await press(Key.ARROW_RIGHT);
    const begins = (await address()).searchParams.get('node');
    expect(['gangway', 'kiosk']).toContain(begins);
    if (begins === 'kiosk') await press(Key.ARROW_RIGHT);
    await press(Key.ARROW_RIGHT);
    const callee = (await address()).searchParams.get('node')!;
    const { edges }: { edges: { from: string; to: string; lit: { calls: number } }[] } = await getJson(
      dusk.url,
      `/api/map?${WINDOWS}`,
    );
    const busiest = edges.filter(({ from }) => from === 'gangway').sort((a, b) => b.lit.calls - a.lit.calls)[0];
    expect(callee).toBe(busiest.to);
    await press(Key.ARROW_LEFT);
    expect((await address()).searchParams.get('node')).toBe('gangway');
    await press(Key.ENTER);
    await until(address, (url) => url.pathname === '/services/gangway');
  });

  it('shows what is around one service, and Back shows all of it again', async () => {
    await openMap('&node=berths');
    const all = (await plates()).length;
    await (await button('Only around this')).click();
    await until(plates, (now) => now.length === 3);
    expect((await plates()).map(({ id }) => id).sort()).toEqual(['berths', 'database:sailing-db', 'holds']);
    await browser.driver.navigate().back();
    await until(plates, (now) => now.length === all);
  });

  it('finds a service by a part of its name', async () => {
    await openMap();
    await press('f');
    await press('tide');
    await until(plates, (now) => now.filter(({ dim }) => dim === 'false').length === 1);
    expect((await plates()).find(({ dim }) => dim === 'false')?.id).toBe('tidewatch');
    await press(Key.ENTER);
    await until(address, (url) => url.searchParams.get('node') === 'tidewatch');
  });

  it('draws calls downwards when asked to, and stays so for who gets the link', async () => {
    await openMap();
    const placesOf = async () => {
      const boxes = await Promise.all(
        ['holds', 'berths'].map((id) => browser.driver.findElement(By.css(`[data-id="${id}"]`)).getRect()),
      );
      return { right: boxes[1].x - boxes[0].x, down: boxes[1].y - boxes[0].y };
    };
    const before = await placesOf();
    expect(before.right).toBeGreaterThan(Math.abs(before.down));
    await browser.driver.findElement(By.css('[aria-label="Draw calls downwards"]')).click();
    await until(placesOf, ({ right, down }) => down > Math.abs(right));
    expect((await address()).searchParams.get('direction')).toBe('down');
    await browser.driver.navigate().refresh();
    await until(placesOf, ({ right, down }) => down > Math.abs(right));
  });

  it('draws teams as one plate each, which open', async () => {
    await openMap();
    await (await button('by team')).click();
    await until(plates, (now) => now.some(({ id }) => id === 'group:Booking'));
    const booking = await plate('group:Booking');
    expect(booking.role).toBe('passes-slowness');
    expect((await plate('group:Harbour')).role).toBe('starts-slowness');
    // The picture comes to rest before it is aimed at.
    await browser.driver.sleep(700);
    await browser.driver
      .actions()
      .doubleClick(browser.driver.findElement(By.css('[data-id="group:Harbour"]')))
      .perform();
    await until(plates, (now) => now.some(({ id }) => id === 'berths'));
    expect((await address()).searchParams.get('open')).toBe('Harbour');
  });

  it('has a table behind it with the numbers of the answer', async () => {
    await openMap();
    await press('t');
    const row = await browser.driver.wait(when.elementLocated(By.xpath('//tr[td//button[contains(., "berths")]]')), 10_000);
    const words = await row.getText();
    expect(words).toContain('slowness starts here');
    const { nodes }: { nodes: { id: string; lit: { calls: number } }[] } = await getJson(dusk.url, `/api/map?${WINDOWS}`);
    const calls = nodes.find(({ id }) => id === 'berths')!.lit.calls;
    expect(words).toContain(`${Number((calls / 3600).toPrecision(2))}/s`);
    expect((await address()).searchParams.get('as')).toBe('table');
  });

  it('gives a letter after g to no other key: neither the table nor the before window changes', async () => {
    await openMap();
    const before = (await address()).searchParams.get('before');
    // No page has this letter.
    await press('g', 'b');
    await press('g', 't');
    const left = await until(address, ({ pathname }) => pathname === '/traces');
    expect(left.searchParams.get('before')).toBe(before);
    expect(left.searchParams.get('as')).not.toBe('table');
  });

  it('is saved as a picture and as text', async () => {
    await openMap();
    await browser.driver.executeScript(`window.saved = []; URL.createObjectURL = (blob) => { window.saved.push(blob); return 'blob:none'; };
      HTMLAnchorElement.prototype.click = () => {};`);
    const save = async (as: string): Promise<string> => {
      await browser.driver.findElement(By.css('[aria-label="Save the map"]')).click();
      await browser.driver.wait(when.elementLocated(By.xpath(`//button[.="${as}"]`)), 5000);
      await (await browser.driver.findElement(By.xpath(`//button[.="${as}"]`))).click();
      await until(
        () => browser.driver.executeScript<number>('return window.saved.length'),
        (count) => count > 0,
      );
      return browser.driver.executeAsyncScript(
        'const done = arguments[0]; const blob = window.saved.pop(); blob.type === "image/png" ? done("png " + blob.size) : blob.text().then(done)',
      );
    };
    expect(await save('Mermaid')).toMatch(/^flowchart LR\n[\s\S]*berths: [\d.]+\/\w+ · p95/);
    expect(await save('GraphViz DOT')).toContain('"holds" -> "berths"');
    expect(JSON.parse(await save('JSON')).nodes.length).toBe((await plates()).length);
    const svg = await save('SVG picture');
    const read: string = await browser.driver.executeScript(
      `const it = new DOMParser().parseFromString(arguments[0], 'image/svg+xml'); return it.querySelector('parsererror')?.textContent ?? it.querySelectorAll('rect').length + ' ' + it.querySelector('title').textContent`,
      svg,
    );
    expect(read).toMatch(/^\d{2,} Slowness starts in berths and crew$/);
    expect(svg).not.toContain('var(');
    expect(Number((await save('PNG picture')).slice(4))).toBeGreaterThan(10_000);
  });

  it('can be used without seeing it, in both schemes', async () => {
    await openMap('&node=berths');
    expect(await seriousFaults(browser.driver)).toEqual([]);
    await browser.driver.manage().addCookie({ name: 'scheme', value: 'paper' });
    await openMap('&node=berths');
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });
});

describe('a map of very many', () => {
  const start = BigInt(END - 4 * 60 * MINUTE) * 1_000_000n;
  const count = (css: string): Promise<number> =>
    browser.driver.executeScript('return document.querySelectorAll(arguments[0]).length', css);
  const isPlaced = (name: string): Promise<boolean> =>
    browser.driver.executeScript(
      `const it = [...document.querySelectorAll('[data-far] rect')].find((it) => it.textContent === arguments[0])?.getBoundingClientRect();
      return it !== undefined && it.x > 70 && it.right < 1000 && it.y > 120 && it.bottom < 800`,
      name,
    );

  beforeAll(async () => {
    await sendSpans(dusk.url, manyCalls(150, 600, start));
    await browser.visit(`${dusk.url}/map?from=${at(-241)}&to=${at(-230)}&before=${at(-300)}/${at(-290)}`);
    await browser.driver.wait(when.elementLocated(By.css('[data-far] rect')), 20_000);
  });

  it('is drawn as shapes from afar, all of them in sight', async () => {
    expect(await count('[data-far] rect')).toBe(150);
    expect(await count('.react-flow__node')).toBe(0);
    await until(
      () => isPlaced('service-000'),
      (is) => is,
    );
    expect(await isPlaced('service-149')).toBe(true);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('has plates that can be read where one goes near, and a shape can be chosen', async () => {
    const shape = await browser.driver.executeScript<import('selenium-webdriver').WebElement>(
      `return [...document.querySelectorAll('[data-far] rect')].find((it) => it.textContent === 'service-000')`,
    );
    await browser.driver.actions().move({ origin: shape }).click().perform();
    await until(address, (url) => url.searchParams.get('node') === 'service-000');
    expect(await text('aside')).toContain('service-000');
    // The keys bring what they choose into sight.
    for (let times = 0; times < 9 && (await count('.react-flow__node')) === 0; times++) {
      await (await browser.driver.findElement(By.css('[aria-label="Zoom in"]'))).click();
      await browser.driver.sleep(400);
    }
    const near = await count('.react-flow__node');
    expect(near).toBeGreaterThan(0);
    expect(near).toBeLessThan(150);
    expect((await plates())[0].words).toMatch(/service-\d{3}/);
    await (await browser.driver.findElement(By.css('[aria-label="Show all of it"]'))).click();
    await until(
      () => count('.react-flow__node'),
      (many) => many === 0,
    );
  });
});

describe('one request on the map', () => {
  it('leaves dim what it did not touch, and numbers its calls', async () => {
    const { traces } = await getJson(dusk.url, `/api/traces?from=${at(-60)}&to=${at(0)}&entry=GET%20/passes/{ref}&limit=1`);
    await browser.visit(`${dusk.url}/traces/${traces[0].traceId}?${WINDOWS}`);
    const link = await browser.driver.wait(when.elementLocated(By.linkText('on the map')), 10_000);
    await link.click();
    await browser.driver.wait(when.elementLocated(By.css('.react-flow__node')), 20_000);
    await until(
      () => text('h1'),
      (words) => /^GET \/passes\/\{ref\}, .+: \d+ places, \d+ calls$/.test(words),
    );
    const touched: { nodes: { id: string }[] } = await getJson(dusk.url, `/api/traces/${traces[0].traceId}/map`);
    const bright = (await plates()).filter(({ dim }) => dim === 'false').map(({ id }) => id);
    expect(bright.sort()).toEqual(touched.nodes.map(({ id }) => id).sort());
    expect(await text('[role=application]')).toMatch(/\n1( · \d+×)?\n/);
  });
});

describe('a short link', () => {
  it('leads others to the same, though the window followed the clock', async () => {
    await browser.visit(`${dusk.url}/services/berths?last=1h&where=service is holds`);
    await until(
      () => text('h1'),
      (words) => words.startsWith('berths'),
    );
    await (await browser.driver.findElement(By.css('[aria-label="Short link to what is shown"]'))).click();
    const field = await browser.driver.wait(when.elementLocated(By.css('input[aria-label="Short link"]')), 10_000);
    const link = (await field.getAttribute('value'))!;
    expect(link).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/l\/[A-Za-z0-9]{7}$/);
    await browser.visit(link);
    const { pathname, searchParams } = await address();
    expect([pathname, searchParams.get('where'), searchParams.has('last')]).toEqual([
      '/services/berths',
      'service is holds',
      false,
    ]);
    const long = Date.parse(searchParams.get('to')!) - Date.parse(searchParams.get('from')!);
    expect(long).toBe(60 * MINUTE);
  });
});

describe('the page of a service', () => {
  it('says what changed and where, with instances, operations and both sides of its calls', async () => {
    await browser.visit(`${dusk.url}/services/berths?${WINDOWS}`);
    await until(
      () => text('h1'),
      (words) => /^berths: p95 .+ → [\d.]+ s, in its own code$/.test(words),
    );
    const page = await text('main');
    expect(page).toContain('POST /berths/allocations');
    expect(page).toContain('4.6.3 → 4.7.0');
    expect(page).toMatch(/caller[\s\S]*holds[\s\S]*callee[\s\S]*sailing-db/);
    await browser.driver.findElement(By.linkText('holds')).click();
    await until(address, (url) => url.pathname === '/services/holds' && url.searchParams.get('from') !== null);
    expect(await seriousFaults(browser.driver)).toEqual([]);
  });

  it('leads from its durations to a request that took so long: the percentile of all, or that of a place in the chart', async () => {
    const opened = async () => {
      const url = await until(address, (it) => it.pathname.startsWith('/traces/') && it.searchParams.get('span') !== null);
      const traceId = url.pathname.slice('/traces/'.length);
      const { spans, services } = await getJson(dusk.url, `/api/traces/${traceId}/timeline`);
      const span = spans.id.indexOf(url.searchParams.get('span'));
      return { service: services[spans.service[span]], durationNs: spans.durationNs[span] };
    };
    const page = `${dusk.url}/services/berths?${WINDOWS}`;
    const { lit } = await getJson(dusk.url, `/api/services/berths?${WINDOWS}`);
    const open = async () => {
      await browser.visit(page);
      // The page has taken over when the window stands in the address in its own words.
      await until(address, (url) => !url.searchParams.get('from')?.includes('.'));
    };
    await open();
    await browser.driver.findElement(By.xpath('//p[contains(., "a request that took")]/button[.="p95"]')).click();
    const typical = await opened();
    expect(typical.service).toBe('berths');
    expect(Math.abs(Math.log(typical.durationNs / lit.p95Ns))).toBeLessThan(0.3);

    await open();
    const chart = By.xpath('//figure[contains(., "p95, with")]//*[local-name()="svg"][contains(@class, "recharts-surface")]');
    await browser.driver.wait(
      when.elementLocated(
        By.xpath('//figure[contains(., "p95, with")]//*[local-name()="path"][contains(@class, "recharts-curve")]'),
      ),
      10_000,
    );
    await browser.driver
      .actions()
      .move({ origin: await browser.driver.findElement(chart), x: 20, y: 0 })
      // The chart knows the place under the pointer a frame later.
      .pause(300)
      .click()
      .perform();
    // A click offers what can be done from that place.
    await (
      await browser.driver.wait(when.elementLocated(By.xpath('//button[contains(., "A request that took its p95")]')), 10_000)
    ).click();
    expect((await opened()).service).toBe('berths');

    await open();
    const before = (await address()).searchParams.get('from');
    const drawn = await browser.driver.wait(when.elementLocated(chart), 10_000);
    await browser.driver
      .actions()
      .move({ origin: drawn, x: -20, y: 0 })
      .pause(300)
      .press()
      .move({ origin: drawn, x: 60, y: 0 })
      .pause(300)
      .release()
      .perform();
    // A drag lights what it covers.
    const dragged = await until(address, (url) => url.searchParams.get('from') !== before);
    const [from, to] = ['from', 'to'].map((name) => Date.parse(dragged.searchParams.get(name)!));
    expect(from).toBeGreaterThan(Date.parse(before!));
    expect(to).toBeLessThan(Date.parse(before!) + 3_600_000);
  });

  it('follows the chips, and says of how many requests it speaks', async () => {
    const where = encodeURIComponent('entry is POST /holds');
    await browser.visit(`${dusk.url}/services/berths?${WINDOWS}&where=${where}`);
    await until(
      () => text('main'),
      (page) => /of the \d+ requests that fit the chips/.test(page),
    );
    const { lit } = await getJson(dusk.url, `/api/services/berths?${WINDOWS}&where=${where}`);
    expect(await text('main')).toContain(`of the ${lit.calls} requests`);
  });

  it('leads to a peer, which is seen from its callers', async () => {
    await browser.visit(`${dusk.url}/services/berths?${WINDOWS}`);
    await (await browser.driver.wait(when.elementLocated(By.linkText('sailing-db')), 10_000)).click();
    await until(address, (url) => decodeURIComponent(url.pathname) === '/peers/database:sailing-db');
    await until(
      () => text('h1'),
      (words) => words === 'sailing-db is as before',
    );
    expect(await text('main')).toMatch(/caller[\s\S]*sailings[\s\S]*berths/);
  });

  it('that nobody knows says so, and offers the way on', async () => {
    await browser.visit(`${dusk.url}/services/nobody?${WINDOWS}`);
    await until(
      () => text('main'),
      (words) => words.includes('no service "nobody" has sent anything'),
    );
    await (await button('To the map')).click();
    await until(address, (url) => url.pathname === '/map');
  });
});

it('says of a window without requests where there are some', async () => {
  await browser.visit(`${dusk.url}/map?from=${at(-6000)}&to=${at(-5940)}`);
  await until(
    () => text('main'),
    (words) => words.includes('Nothing was called'),
  );
  expect(await text('main [role=status]')).not.toBe('');
});
