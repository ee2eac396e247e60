import { spawn } from 'node:child_process';
import { get } from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import { build, isBuilt } from '../src/server/build.ts';
import { type Browser, openBrowser } from '../tests/support/browser.ts';
import { install } from '../tests/support/installation.ts';
import { getJson } from '../tests/support/sending.ts';

const RUNS = 5;
/** What has nothing to compute: the reference of all pages. */
const PLAIN = '/intake/masking';
/** While the day is filled in, pages are asked for every so often. */
const PAUSE_MS = 5_000;
const LONGEST_MS = 60_000;

const PAGES = [
  '/now',
  '/now/services',
  '/now/failures',
  '/now/incidents',
  '/map',
  '/map?level=operations',
  '/traces',
  '/traces?as=groups',
  '/traces?where=span where service is holds above service is berths and duration over 1s',
  '/traces?where=db.query.text lacks berth',
  '/services/holds',
  '/services/holds/versions',
  '/peers/database:manifest-db',
  '/contrast',
  '/logs',
  '/logs/stitched',
  '/databases',
  '/databases/manifest-db',
  '/databases/pools',
  '/databases/bench',
  '/code',
  '/code/profile',
  '/code/findings',
  '/machines',
  '/machines/hosts',
  '/machines/hosts/quay-3',
  '/machines/pods',
  '/machines/reserved',
  '/machines/images',
  '/visitors',
  '/visitors/visits',
  '/visitors/steps',
  '/visitors/versions',
  '/visitors/parties',
  '/visitors/checks',
  '/casebook',
];

/**
 * Every page of the demo day at 1 h and at 24 h: until the server has sent it, and until Chromium has all of it, against a page that has nothing
 * to compute; how large it is as sent; and the same while the day is still being filled in. `only` is what the addresses of pages begin with.
 */
export async function benchPages(hours = 24, only = '/'): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const browser = await openBrowser();
  try {
    await benchFilling(dusk.url, hours);
    await settled(dusk.url);
    console.log('\nthe idle day, medians of', RUNS);
    const plain = {
      sent: await median(() => sentAfter(dusk.url + PLAIN)),
      complete: await median(() => completeAfter(browser, dusk.url + PLAIN)),
    };
    console.log(`  a page with nothing to compute: sent after ${ms(plain.sent)}, complete after ${ms(plain.complete)}`);
    for (const window of ['60min', `${hours * 60}min`])
      for (const page of PAGES.filter((it) => it.startsWith(only))) {
        const url = addressOf(dusk.url, page, window);
        const first = await sentAfter(url);
        const sent = await median(() => sentAfter(url));
        const complete = await median(() => completeAfter(browser, url));
        const { html, script } = await sizesOf(browser, url);
        console.log(
          `  ${window.padStart(7)} ${page.slice(0, 60).padEnd(60)} sent ${ms(sent)} (first ${ms(first)}), complete ${ms(complete)} = ${(complete / plain.complete).toFixed(1)} ×, HTML ${kB(html)}, script ${kB(script)}`,
        );
      }
  } finally {
    await browser.close();
    await dusk.stop();
  }
}

function addressOf(url: string, page: string, window: string): string {
  const address = new URL(url + page);
  address.searchParams.set('last', window);
  return address.href;
}

/** Fills the demo day in and asks for pages meanwhile. */
async function benchFilling(url: string, hours: number): Promise<void> {
  const filling = spawn(process.execPath, ['--import', 'tsx', 'demo/main.ts', '--to', url, '--hours', String(hours)], {
    stdio: 'ignore',
  });
  const ended = new Promise<void>((resolve) => filling.on('exit', () => resolve()));
  let isOver = false;
  void ended.then(() => {
    isOver = true;
  });
  const times = new Map<string, number[]>();
  const delays: number[] = [];
  while (!isOver) {
    for (const page of ['/now', '/map', '/traces', '/services/holds']) {
      const took = await sentAfter(addressOf(url, page, '60min')).catch(() => LONGEST_MS);
      times.set(page, [...(times.get(page) ?? []), took]);
    }
    const { eventLoop } = await getJson(url, '/api/health');
    if (eventLoop) delays.push(eventLoop.p99Ms);
    await Promise.race([ended, sleep(PAUSE_MS)]);
  }
  console.log('while the day is filled in, 1 h, until sent:');
  for (const [page, all] of times) {
    const sorted = all.sort((a, b) => a - b);
    console.log(
      `  ${page.padEnd(20)} median ${ms(sorted[Math.floor(sorted.length / 2)])}, longest ${ms(sorted.at(-1)!)}, of ${sorted.length}`,
    );
  }
  console.log(
    `  event loop of the process that answers, p99 of a minute: at most ${ms(Math.max(0, ...delays))}, of ${delays.length} readings`,
  );
}

/** Waits until the columns of all that is stored are built. */
async function settled(url: string): Promise<void> {
  for (;;) {
    const answer = await fetch(`${url}/api/traces/overview`);
    await answer.text();
    if (!answer.headers.has('lantern-left-out')) return;
    await sleep(1000);
  }
}

async function median(work: () => Promise<number>): Promise<number> {
  const times: number[] = [];
  for (let run = 0; run < RUNS; run++) times.push(await work());
  return times.sort((a, b) => a - b)[Math.floor(RUNS / 2)];
}

async function sentAfter(url: string): Promise<number> {
  const began = performance.now();
  const answer = await fetch(url);
  await answer.text();
  if (!answer.ok) throw new Error(`${answer.status} for ${url}`);
  return performance.now() - began;
}

/** Until the page asks for nothing any more. */
async function completeAfter({ driver }: Browser, url: string): Promise<number> {
  await driver.get('about:blank');
  const began = performance.now();
  await driver.get(url);
  await driver.wait(
    () =>
      driver.executeScript<boolean>(
        "return document.readyState === 'complete' && !!document.querySelector('h1') && !document.querySelector('[data-busy=true]')",
      ),
    LONGEST_MS,
  );
  return performance.now() - began;
}

/** Bytes as sent: of the page, and of the scripts that it loads. */
async function sizesOf({ driver }: Browser, url: string): Promise<{ html: number; script: number }> {
  const html = await new Promise<number>((resolve, reject) => {
    get(url, { headers: { 'accept-encoding': 'br, gzip' } }, (answer) => {
      let size = 0;
      answer.on('data', (part: Buffer) => {
        size += part.length;
      });
      answer.on('end', () => resolve(size));
    }).on('error', reject);
  });
  const script = await driver.executeScript<number>(
    "return performance.getEntriesByType('resource').filter((it) => it.name.endsWith('.js')).reduce((sum, it) => sum + it.encodedBodySize, 0)",
  );
  return { html, script };
}

function ms(value: number): string {
  return `${value.toFixed(0)} ms`;
}

function kB(bytes: number): string {
  return `${(bytes / 1000).toFixed(0)} kB`;
}
