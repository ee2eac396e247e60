import { randomLcg } from 'd3-random';
import pg from 'pg';
import { By, until } from 'selenium-webdriver';
import { layOut } from '../src/core/maps/layOut.ts';
import { build, isBuilt } from '../src/server/build.ts';
import { type Browser, openBrowser } from '../tests/support/browser.ts';
import { install } from '../tests/support/installation.ts';
import { madeSystem } from '../tests/support/made/madeSystem.ts';
import { manyCalls } from '../tests/support/made/manyCalls.ts';
import { EPOCH } from '../tests/support/made/traceMaker.ts';
import { getJson, sendSpans } from '../tests/support/sending.ts';
import { framesOf } from './support/frames.ts';
import { medianOf, report } from './support/measure.ts';

const DAY_NS = 86_400_000_000_000n;
const at = (ns: bigint) => new Date(Number(ns / 1_000_000n)).toISOString();
const SERVICES = 300;
const CALLS = 1_500;

/** The map of a day against a plain sum over the same rows; and a map of 300 services and 1 500 kinds of calls in Chromium: laid out, panned, zoomed. */
export async function benchMap(): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const browser = await openBrowser();
  try {
    await benchDay(dusk.url, dusk.cluster.url);
    await benchPicture(dusk.url, browser);
  } finally {
    await browser.close();
    await dusk.stop();
  }
}

async function benchDay(url: string, databaseUrl: string): Promise<void> {
  const chance = randomLcg(5);
  const { before, lit } = madeSystem(12, 10_000);
  const spans = [...before, ...lit].flatMap((trace) => {
    const shift = (BigInt(Math.floor(chance() * 1e9)) * DAY_NS) / 1_000_000_000n;
    return trace.map((span) => ({ ...span, start: span.start + shift, end: span.end + shift }));
  });
  spans.sort((a, b) => (a.start < b.start ? -1 : 1));
  for (let from = 0; from < spans.length; from += 4000) await sendSpans(url, spans.slice(from, from + 4000));
  console.log(`${spans.length.toLocaleString('en')} spans in a day`);
  const client = new pg.Client({ connectionString: databaseUrl });
  await client.connect();
  const sums = ['call_minute', 'call_edge_minute', 'instance_minute'].map(
    (table) => `SELECT key_id, sum(calls), sum(failures), sum(ok_ns), sum(length(sketch)) FROM ${table} GROUP BY 1`,
  );
  const reference = await medianOf(9, async () => {
    for (const sum of sums) await client.query(sum);
  });
  await client.end();
  const day = `/api/map?from=${at(EPOCH)}&to=${at(EPOCH + DAY_NS)}&before=${at(EPOCH - DAY_NS)}/${at(EPOCH)}`;
  const cold = performance.now();
  await getJson(url, day);
  report('the map of a day, asked for the first time', performance.now() - cold, 'plain sums over its rows', reference);
  report('the map of a day, asked for again', await medianOf(9, () => getJson(url, day)), 'plain sums over its rows', reference);
}

async function benchPicture(url: string, { driver }: Browser): Promise<void> {
  const start = EPOCH + 40n * DAY_NS;
  await sendSpans(url, manyCalls(SERVICES, CALLS, start));
  await sendSpans(url, manyCalls(20, 40, start + DAY_NS));
  await driver.manage().window().setRect({ width: 1280, height: 800 });
  const laidOut = async (from: bigint): Promise<number> => {
    const page = `/map?from=${at(from - 60_000_000_000n)}&to=${at(from + 600_000_000_000n)}&before=${at(from - DAY_NS / 2n)}/${at(from - DAY_NS / 4n)}`;
    await driver.get(url + page);
    await driver.wait(until.elementLocated(By.css('.react-flow__node, [data-far]')), 60_000);
    const { nodes, edges } = await getJson(url, page.replace('/map?', '/api/map?'));
    const begun = performance.now();
    await layOut(
      nodes.map((it: { id: string }) => it.id),
      edges.map((it: { from: string; to: string }, key: number) => ({ ...it, key: String(key) })),
      'right',
    );
    return performance.now() - begun;
  };
  const middle = async (from: bigint) => {
    const times: number[] = [];
    for (let time = 0; time < 5; time++) times.push(await laidOut(from));
    return times.sort((a, b) => a - b)[2];
  };
  const small = await middle(start + DAY_NS);
  report(
    `${SERVICES} services and ${CALLS} kinds of calls, laid out`,
    await middle(start),
    '20 services and 40 kinds of calls',
    small,
  );
  await driver.get('about:blank');
  const still = await framesOf(driver, '() => {}');
  await laidOut(start);
  await driver.sleep(3000);
  const pan = await framesOf(
    driver,
    `(frame) => { const pane = document.querySelector('.react-flow__pane');
      const move = (type, x) => pane.dispatchEvent(new MouseEvent(type, { bubbles: true, clientX: x, clientY: 400, button: 0, buttons: 1, view: window }));
      if (frame === 0) move('mousedown', 500); move('mousemove', 500 + 200 * Math.sin(frame / 20)); }`,
  );
  // The hand lets go, so that the wheel finds the map at rest.
  await driver.executeScript(
    "window.dispatchEvent(new MouseEvent('mouseup', { bubbles: true, clientX: 500, clientY: 400, button: 0, view: window }))",
  );
  await driver.sleep(1000);
  const zoom = await framesOf(
    driver,
    `(frame) => document.querySelector('.react-flow__pane').dispatchEvent(new WheelEvent('wheel',
      { bubbles: true, cancelable: true, clientX: 500, clientY: 400, deltaY: frame % 60 < 30 ? -40 : 40, view: window }))`,
  );
  console.log(`frames a second: panning ${pan}, zooming ${zoom}; an empty page in the same run ${still}`);
}
