import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { tokenHeader } from '../src/formats/otlp/wire/tokenHeader.ts';
import { JOURNEYS } from './company/journeys.ts';
import { type DayOptions, quietStretch, stretchesOf } from './day.ts';
import { randomIncidents } from './incidents/family.ts';
import { HARMLESS } from './incidents/harmless.ts';
import { HOST_FAMILY } from './incidents/hostFamily.ts';
import { INCIDENTS } from './incidents/known.ts';
import { live } from './live.ts';
import type { DemoOptions } from './options.ts';
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

/** Makes the data, and writes it into files or sends it. */
export async function make(asked: DemoOptions): Promise<void> {
  const day = dayOf(asked);
  const truth = asked.truth ?? (asked.out && join(asked.out, 'truth.json'));
  if (truth) {
    mkdirSync(dirname(truth), { recursive: true });
    writeFileSync(truth, `${JSON.stringify(truthOf(day.incidents ?? [], day.endMs), undefined, 2)}\n`);
  }
  if (asked.out) await writeFiles(day, asked.out);
  else if (asked.isLiveOnly) await goOn(day, asked);
  else await sendDay(day, asked);
}

function dayOf({ endMs, hours, quietHours, seed, scale, incidents }: DemoOptions): DayOptions {
  const day = { endMs, hours, quietHours, seed, scale };
  if (incidents === 'random') return { ...day, ...randomIncidents(seed, hours) };
  if (incidents === 'hosts') return { ...day, ...randomIncidents(seed, hours, HOST_FAMILY) };
  return { ...day, incidents: incidents === 'none' ? [] : INCIDENTS, harmless: HARMLESS };
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
async function sendDay(day: DayOptions, { to, isLive, control }: DemoOptions): Promise<void> {
  const { recent, earlier } = stretchesOf(day);
  const quiet = quietStretch(day);
  await nameJourneys(to);
  const delivery = new Delivery(to);
  const room = () => delivery.room();
  const post = (parcel: Parcel) => delivery.post(parcel);
  const open = isLive ? { ...recent, untilMs: undefined } : recent;
  const run = await go(open, post, room, () => {}, recent.untilMs);
  await delivery.end();
  process.stdout.write('recent\n');
  const going = isLive ? live({ ...run, control, room, to }) : undefined;
  // What is usual is known soonest when the quiet day comes first; it has half of the traffic.
  const parts = [quiet, earlier].filter((it) => it !== undefined);
  const nobodyWaits = besidePages(to);
  const roomBesidePages = async () => {
    await nobodyWaits();
    await room();
  };
  for (const [at, part] of parts.entries())
    await go(part, post, roomBesidePages, (share) => tellFilling(to, (at + share) / parts.length));
  await delivery.end();
  process.stdout.write('done\n');
  await going;
}

/** Goes on with a day that was sent before, from now on. */
async function goOn(day: DayOptions, { to, control }: DemoOptions): Promise<void> {
  const now = Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS;
  const { recent } = stretchesOf(day);
  const delivery = new Delivery(to);
  const room = () => delivery.room();
  const run = await go(
    { ...recent, fromMs: now, untilMs: undefined, seed: now & 0x7fffffff },
    (parcel) => delivery.post(parcel),
    room,
    () => {},
    now,
  );
  await live({ ...run, control, room, to });
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
async function nameJourneys(to: string): Promise<void> {
  const address = new URL('/api/journeys', to);
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
async function tellFilling(to: string, share: number): Promise<void> {
  const percent = Math.floor(100 * share);
  if (percent === lastTold) return;
  lastTold = percent;
  const body = JSON.stringify({ what: 'Earlier hours of the demo are being filled in', share });
  await fetch(new URL('/api/intake/filling', to), {
    method: 'PUT',
    headers: { 'content-type': 'application/json', ...tokenHeader() },
    body,
  }).catch(() => {});
}
