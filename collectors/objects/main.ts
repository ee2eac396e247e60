import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { Outbox } from '../sending/outbox.ts';
import { type FoundEvent, type KindColumns, readObjects } from './read.ts';

/* `./dusk collect objects`: reads object files as cluster tools write them, and sends what they hold. */

const SCOPE = { name: 'dusk-lantern-collector', version: '1' };
const RESOURCE = { 'service.name': 'collector of objects' };
/** What did not change is sent again this often: what was not heard of for long is not there any more. */
const AGAIN_MS = 3_600_000;
const EVERY_MS = 15_000;
/** Records that wait until they are taken: all objects come at once. */
const MOST_WAITING = 60_000;
const LARGEST_FILE = 64 * 2 ** 20;
const say = (words: string) => process.stderr.write(`collect objects: ${words}\n`);

try {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { to: { type: 'string', default: 'http://127.0.0.1:4680' }, watch: { type: 'boolean', default: false } },
  });
  if (positionals.length === 0) throw new Error('name files or folders, or - for standard input');
  await collect(positionals, values.to, values.watch);
} catch (error) {
  say((error as Error).message);
  process.exitCode = 1;
}

async function collect(paths: readonly string[], to: string, isWatching: boolean): Promise<void> {
  const outbox = new Outbox(to, say, MOST_WAITING);
  const known = new Map<string, { hash: string; sentAt: number; attributes: FoundEvent['attributes'] }>();
  let isOn = true;
  for (const signal of ['SIGINT', 'SIGTERM'] as const)
    process.once(signal, () => {
      isOn = false;
    });
  let faults = 0;
  let last = '';
  do {
    const { events, wrong } = readAll(paths);
    faults = wrong.length;
    // The same is not said again and again.
    if (wrong.join('\n') !== last) for (const it of wrong) say(it);
    last = wrong.join('\n');
    const sent = sendNew(outbox, events, known);
    if (!isWatching || sent > 0) say(`${events.length} objects and events read, ${sent} of them new or changed`);
    // A file that cannot be read at the moment says nothing of what is gone.
    if (isWatching && wrong.length === 0) sendGone(outbox, events, known);
    for (let left = EVERY_MS; isWatching && isOn && left > 0; left -= 200) await sleep(200);
  } while (isWatching && isOn);
  await outbox.end();
  if (outbox.sent === 0 && known.size > 0) throw new Error(`${to} took nothing`);
  if (faults > 0) process.exitCode = 1;
}

function readAll(paths: readonly string[]): { events: FoundEvent[]; wrong: string[] } {
  const columns: KindColumns = new Map();
  const events: FoundEvent[] = [];
  const wrong: string[] = [];
  for (const path of paths)
    for (const file of filesOf(path)) {
      try {
        if (file !== '-' && statSync(file).size > LARGEST_FILE) throw new Error(`larger than ${LARGEST_FILE / 2 ** 20} MiB`);
        const found = readObjects(readFileSync(file === '-' ? 0 : file, 'utf8'), columns);
        events.push(...found.events);
        wrong.push(...found.faults.map((fault) => `${file}: ${fault}`));
      } catch (error) {
        wrong.push(`${file}: ${(error as Error).message}`);
      }
    }
  return { events, wrong };
}

function filesOf(path: string): string[] {
  if (path === '-' || !statSync(path).isDirectory()) return [path];
  return readdirSync(path, { recursive: true, encoding: 'utf8' })
    .filter((file) => /\.(ya?ml|json)$/.test(file))
    .sort()
    .map((file) => join(path, file));
}

type Known = Map<string, { hash: string; sentAt: number; attributes: FoundEvent['attributes'] }>;

function sendNew(outbox: Outbox, events: readonly FoundEvent[], known: Known): number {
  let sent = 0;
  for (const { name, id, attributes, atMs } of events) {
    const hash = createHash('md5')
      .update(JSON.stringify([attributes, atMs]))
      .digest('hex');
    // Of an object there is one state; each event is itself.
    const key = name === 'lantern.inventory' ? `${name} ${id}` : `${name} ${hash}`;
    const before = known.get(key);
    const isOld = before?.hash === hash && (name !== 'lantern.inventory' || Date.now() - before.sentAt < AGAIN_MS);
    if (isOld) continue;
    known.set(key, { hash, sentAt: Date.now(), attributes });
    send(outbox, name, attributes, atMs);
    sent++;
  }
  return sent;
}

/** What was there and is in no file any more has ended. */
function sendGone(outbox: Outbox, events: readonly FoundEvent[], known: Known): void {
  const present = new Set(events.filter(({ name }) => name === 'lantern.inventory').map(({ id }) => `lantern.inventory ${id}`));
  for (const [key, { attributes }] of known) {
    if (!key.startsWith('lantern.inventory ') || present.has(key)) continue;
    known.delete(key);
    send(outbox, 'lantern.inventory', { ...attributes, 'lantern.object.gone': true }, undefined);
  }
}

function send(outbox: Outbox, event: string, attributes: FoundEvent['attributes'], atMs = Date.now()): void {
  const time = BigInt(Math.round(atMs)) * 1_000_000n;
  outbox.log({ resource: RESOURCE, scope: SCOPE, time, severity: 0, body: null, attributes, event });
}
