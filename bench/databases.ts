import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { Segment } from '../src/core/columns/segment.ts';
import { HOUR_PARTS, type HourPart } from '../src/core/database/hours/hourColumns.ts';
import { hourSegments } from '../src/core/database/hours/hourSegments.ts';
import { SessionHour } from '../src/core/database/hours/sessionHour.ts';
import { LoadSums } from '../src/core/database/load/loadSums.ts';
import type { SampledSecond, SampledSession } from '../src/core/database/sampledSecond.ts';
import { sessionRows, sessionSegment } from '../src/core/database/sessionColumns.ts';
import { decodeSegment, encodeSegment } from '../src/formats/columns/segmentBytes.ts';
import { packSeconds } from '../src/formats/database/packSeconds.ts';
import { medianOf, report } from './support/measure.ts';

const COMPRESSION = {
  deflate: (bytes: Uint8Array) => deflateRawSync(bytes, { level: 4 }),
  inflate: (bytes: Uint8Array) => inflateRawSync(bytes),
};
const SLOT_SECONDS = 600;
/** Seconds that a sampler sends at once. */
const SENT_AT_ONCE = 5;
const SERVERS = 10;
const DAYS = 30;
const HOUR_MS = 3_600_000;
const SLOTS_PER_HOUR = 6;

/**
 * A server with twenty active sessions: what a sample takes as it is stored, packed and as columns, and how long the load of a day takes to be cut
 * by all dimensions from deflated columns, that of thirty days from hours that were added up, and what adding up takes, against summing as many
 * numbers.
 *
 * @param hours of samples that are made
 */
export async function benchDatabases(hours = 24): Promise<void> {
  const random = generator(7);
  let packed = 0;
  let columns = 0;
  let samples = 0;
  const slots: Uint8Array[] = [];
  let sessions = Array.from({ length: 20 }, (_, at) => begin(at, 0, random));
  for (let slot = 0; slot < hours * 6; slot++) {
    const slotMs = slot * SLOT_SECONDS * 1000;
    const seconds = Array.from({ length: SLOT_SECONDS }, (_, at): SampledSecond => {
      const now = slotMs + at * 1000;
      // Half of the statements have ended by the next second.
      sessions = sessions.map((it, place) =>
        random() < 0.5 ? begin(place, now, random) : { ...it, sinceMs: (it.sinceMs ?? 0) + 1000 },
      );
      return {
        timeNs: BigInt(now) * 1_000_000n,
        system: 'postgresql',
        server: 'db',
        intervalMs: 1000,
        idle: 40,
        most: 200,
        cores: 8,
        sessions,
      };
    });
    samples += SLOT_SECONDS * sessions.length;
    for (let at = 0; at < seconds.length; at += SENT_AT_ONCE) packed += packSeconds(seconds.slice(at, at + SENT_AT_ONCE)).length;
    const bytes = encodeSegment(sessionSegment(seconds, slotMs), COMPRESSION);
    columns += bytes.length;
    slots.push(bytes);
  }
  const perSample = (packed + columns) / samples;
  const all = DAYS * 86_400 * SERVERS * 20;
  process.stdout.write(
    `${samples.toLocaleString('en')} samples: ${(packed / samples).toFixed(1)} bytes each as sent, ${(columns / samples).toFixed(1)} as columns; ` +
      `${DAYS} days of ${SERVERS} servers with 20 active sessions: ${((perSample * all) / 2 ** 30).toFixed(1)} GiB\n`,
  );
  const cut = await medianOf(3, () => {
    const sums = new LoadSums(0, hours * 3_600_000, hours * 18_000);
    for (const [slot, bytes] of slots.entries())
      sums.add(sessionRows(decodeSegment(bytes, COMPRESSION) as Segment), slot * SLOT_SECONDS * 1000);
  });
  const numbers = new Float64Array(samples);
  const sum = await medianOf(3, () => {
    let total = 0;
    for (let pass = 0; pass < 10; pass++) for (let at = 0; at < numbers.length; at++) total += numbers[at];
    if (total !== 0) throw new Error('numbers are none');
  });
  const reference = 'summing as many numbers ten times';
  report(`the load of ${hours} h of a server, cut by all dimensions`, cut, reference, sum);
  const rowsOf = (slot: number) => ({
    rows: sessionRows(decodeSegment(slots[slot], COMPRESSION) as Segment),
    slotMs: slot * SLOT_SECONDS * 1000,
  });
  const added: Record<HourPart, Uint8Array>[] = [];
  const adding = await medianOf(1, () => {
    for (let hour = 0; hour < hours; hour++) {
      const own = Array.from({ length: SLOTS_PER_HOUR }, (_, at) => rowsOf(hour * SLOTS_PER_HOUR + at));
      const parts = hourSegments(own, hour * HOUR_MS);
      added.push(Object.fromEntries(HOUR_PARTS.map((part) => [part, encodeSegment(parts[part], COMPRESSION)])) as never);
    }
  });
  const hourBytes = added.reduce((total, it) => total + HOUR_PARTS.reduce((own, part) => own + it[part].length, 0), 0) / hours;
  process.stdout.write(
    `an hour that was added up: ${(hourBytes / 1024).toFixed(0)} KiB; ${DAYS} days of ${SERVERS} servers: ${((hourBytes * 24 * DAYS * SERVERS) / 2 ** 30).toFixed(2)} GiB\n`,
  );
  report(`adding up ${hours} h of a server`, adding, reference, sum);
  const long = 24 * DAYS;
  const program = [{ dimension: 'program' as const, values: new Set(['service-0']) }];
  for (const [what, filters, parts] of [
    ['by programs', [], ['total']],
    ['cut by all dimensions', [], ['total', 'values']],
    ['of one program, cut by the others', program, HOUR_PARTS],
  ] as const) {
    const days = await medianOf(3, () => {
      const sums = new LoadSums(0, long * HOUR_MS, 4 * HOUR_MS, filters);
      for (let hour = 0; hour < long; hour++) {
        const own = parts.map((part) => [part, decodeSegment(added[hour % hours][part], COMPRESSION) as Segment]);
        sums.addHour(new SessionHour(Object.fromEntries(own), hour * HOUR_MS));
      }
    });
    report(`the load of ${DAYS} days of a server, ${what}`, days, reference, sum);
  }
}

const CLASSES = ['', '', '', 'IO', 'Lock', 'Client', 'LWLock'];

function begin(place: number, now: number, random: () => number): SampledSession {
  const pick = (most: number) => Math.floor(random() ** 2 * most);
  const hex = (digits: number) => Array.from({ length: digits }, () => Math.floor(random() * 16).toString(16)).join('');
  const service = pick(8);
  const waitClass = CLASSES[pick(CLASSES.length)];
  return {
    session: String(4_000 + 7 * place + 100 * pick(3)),
    database: 'booking',
    user: `service-${service}`,
    program: `service-${service}`,
    client: `service-${service}-${pick(4)}`,
    backend: '',
    state: 'active',
    waitClass,
    waitEvent: waitClass === '' ? '' : `${waitClass}Event${pick(4)}`,
    statementId: `f${pick(200).toString(16).padStart(15, '0')}`,
    traceparent: `00-${hex(32)}-${hex(16)}-01`,
    blockedBy: waitClass === 'Lock' ? [String(4_000 + 7 * pick(20))] : [],
    sinceMs: Math.floor(random() * 1000) + (now % 1),
    transactionMs: Math.floor(random() * 3000),
  };
}

/** The same numbers each time. */
function generator(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 16_807) % 2_147_483_647;
    return state / 2_147_483_647;
  };
}
