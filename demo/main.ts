import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { parseArgs } from 'node:util';
import { tokenHeader } from '../src/formats/otlp/wire/tokenHeader.ts';
import { JOURNEYS } from './company/journeys.ts';
import { type DayOptions, quietStretch, stretchesOf } from './day.ts';
import { randomIncidents } from './incidents/family.ts';
import { HARMLESS } from './incidents/harmless.ts';
import { HOST_FAMILY } from './incidents/hostFamily.ts';
import { INCIDENTS } from './incidents/known.ts';
import { inject, live } from './live.ts';
import { Run, type RunOptions } from './run.ts';
import { besidePages } from './sending/besidePages.ts';
import { Delivery } from './sending/deliver.ts';
import { Files } from './sending/files.ts';
import { type Parcel, Parcels } from './sending/parcels.ts';
import { truthOf } from './truth.ts';

const MINUTE_MS = 60_000;
/** So much is simulated at a time: short enough that what is being sent meanwhile does not wait for it. */
const STEP_MS = 10_000;
let lastTold = -1;

const { values } = parseArgs({
  options: {
    to: { type: 'string', default: 'http://127.0.0.1:4680' },
    out: { type: 'string' },
    end: { type: 'string' },
    seed: { type: 'string', default: '1' },
    hours: { type: 'string', default: '24' },
    'quiet-hours': { type: 'string', default: '0' },
    scale: { type: 'string', default: '1' },
    incidents: { type: 'string', default: 'known' },
    truth: { type: 'string' },
    live: { type: 'boolean', default: false },
    'live-only': { type: 'boolean', default: false },
    control: { type: 'string' },
    inject: { type: 'string' },
    for: { type: 'string', default: '10m' },
    data: { type: 'string', default: '.dusk' },
  },
});

try {
  if (values.inject) switchOn(values.inject);
  else await make();
} catch (error) {
  process.stderr.write(`demo: ${(error as Error).message}\n`);
  process.exitCode = 1;
}

function switchOn(name: string): void {
  const amount = /^(\d+)(s|m|h)$/.exec(values.for);
  if (!amount) throw new Error(`--for ${values.for} is no time such as 90s, 10m or 1h`);
  const forMs = Number(amount[1]) * { s: 1000, m: MINUTE_MS, h: 60 * MINUTE_MS }[amount[2] as 's' | 'm' | 'h'];
  inject(join(values.data, 'demo-faults.json'), name, forMs, Date.now());
  process.stderr.write(`${name} is on for ${values.for}, as soon as the running demo sees it (within two seconds)\n`);
}

async function make(): Promise<void> {
  const day = dayOptions();
  const truth = values.truth ?? (values.out && join(values.out, 'truth.json'));
  if (truth) {
    mkdirSync(dirname(truth), { recursive: true });
    writeFileSync(truth, `${JSON.stringify(truthOf(day.incidents ?? [], day.endMs), undefined, 2)}\n`);
  }
  if (values.out) await writeFiles(day, values.out);
  else if (values['live-only']) await goOn(day);
  else await sendDay(day);
}

function dayOptions(): DayOptions {
  const endMs = values.end === undefined ? Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS : Date.parse(values.end);
  if (Number.isNaN(endMs)) throw new Error(`--end ${values.end} is not a time`);
  const seed = number('seed', values.seed, -(2 ** 31), 2 ** 31 - 1, true);
  const hours = number('hours', values.hours, 0.05, 24 * 14);
  const quietHours = number('quiet-hours', values['quiet-hours'], 0, 24 * 14);
  const scale = number('scale', values.scale, 0.01, 1000);
  if (values.incidents === 'random') return { endMs, hours, quietHours, seed, scale, ...randomIncidents(seed, hours) };
  if (values.incidents === 'hosts')
    return { endMs, hours, quietHours, seed, scale, ...randomIncidents(seed, hours, HOST_FAMILY) };
  if (values.incidents === 'none') return { endMs, hours, quietHours, seed, scale, incidents: [], harmless: HARMLESS };
  if (values.incidents !== 'known') throw new Error(`--incidents ${values.incidents}: say known, random, hosts or none`);
  return { endMs, hours, quietHours, seed, scale, incidents: INCIDENTS, harmless: HARMLESS };
}

function number(name: string, text: string, least: number, most: number, isWhole = false): number {
  const value = Number(text);
  if (text.trim() === '' || !(value >= least && value <= most) || (isWhole && !Number.isInteger(value)))
    throw new Error(`--${name} ${text} is not a${isWhole ? ' whole' : ''} number from ${least} to ${most}`);
  return value;
}

async function writeFiles(day: DayOptions, folder: string): Promise<void> {
  const files = new Files(folder);
  const { recent, earlier } = stretchesOf(day);
  for (const stretch of [quietStretch(day), earlier, recent])
    if (stretch)
      await go(
        stretch,
        (parcel) => files.post(parcel),
        async () => {},
        tellProgress,
      );
  files.end();
}

/** The last hours first, so that there is something to look at, then what is usual, then what lies between. */
async function sendDay(day: DayOptions): Promise<void> {
  const { recent, earlier } = stretchesOf(day);
  const quiet = quietStretch(day);
  await nameJourneys();
  const delivery = new Delivery(values.to);
  const room = () => delivery.room();
  const post = (parcel: Parcel) => delivery.post(parcel);
  const open = values.live ? { ...recent, untilMs: undefined } : recent;
  const run = await go(open, post, room, () => {}, recent.untilMs);
  await delivery.end();
  process.stdout.write('recent\n');
  const going = values.live ? live({ ...run, control: values.control, room, to: values.to }) : undefined;
  // What is usual is known soonest when the quiet day comes first; it has half of the traffic.
  const parts = [quiet, earlier].filter((it) => it !== undefined);
  const nobodyWaits = besidePages(values.to);
  const roomBesidePages = async () => {
    await nobodyWaits();
    await room();
  };
  for (const [at, part] of parts.entries())
    await go(part, post, roomBesidePages, (share) => tellFilling((at + share) / parts.length));
  await delivery.end();
  process.stdout.write('done\n');
  await going;
}

/** Goes on with a day that was sent before, from now on. */
async function goOn(day: DayOptions): Promise<void> {
  const now = Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS;
  const { recent } = stretchesOf(day);
  const delivery = new Delivery(values.to);
  const room = () => delivery.room();
  const run = await go(
    { ...recent, fromMs: now, untilMs: undefined, seed: now & 0x7fffffff },
    (parcel) => delivery.post(parcel),
    room,
    () => {},
    now,
  );
  await live({ ...run, control: values.control, room, to: values.to });
}

/** Runs a stretch step by step and hands on what comes together. */
async function go(
  stretch: RunOptions,
  post: (parcel: Parcel) => void,
  room: () => Promise<void>,
  told: (share: number) => void | Promise<void>,
  to = stretch.untilMs!,
): Promise<{ run: Run; flush: () => void }> {
  const parcels = new Parcels(post);
  const run = new Run(stretch, parcels);
  for (let at = stretch.fromMs; at < to; at = Math.min(to, at + STEP_MS)) {
    run.advance(at);
    await room();
    await told((at - stretch.fromMs) / (to - stretch.fromMs));
  }
  run.advance(to);
  parcels.flush();
  await told(1);
  return { run, flush: () => parcels.flush() };
}

function tellProgress(share: number): void {
  const percent = Math.floor(100 * share);
  if (percent % 10 === 0 && percent !== lastTold) process.stderr.write(`  ${percent} %\n`);
  lastTold = percent;
}

/** Names the company's journeys where nobody has named any. The data is there without it, too. */
async function nameJourneys(): Promise<void> {
  const address = new URL('/api/journeys', values.to);
  const named = await fetch(address, { headers: tokenHeader() })
    .then((answer) => answer.json())
    .catch(() => undefined);
  if (named?.journeys?.length !== 0) return;
  const body = JSON.stringify({ journeys: JOURNEYS });
  await fetch(address, { method: 'PUT', headers: { 'content-type': 'application/json', ...tokenHeader() }, body }).catch(
    () => {},
  );
}

/** Says how far it is, to whoever looks at the pages. Not hearing of it harms nobody. */
async function tellFilling(share: number): Promise<void> {
  const percent = Math.floor(100 * share);
  if (percent === lastTold) return;
  lastTold = percent;
  const body = JSON.stringify({ what: 'Earlier hours of the demo are being filled in', share });
  await fetch(new URL('/api/intake/filling', values.to), {
    method: 'PUT',
    headers: { 'content-type': 'application/json', ...tokenHeader() },
    body,
  }).catch(() => {});
}
