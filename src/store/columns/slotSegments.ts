import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import type { Segment } from '../../core/columns/segment.ts';
import {
  type Compression,
  decodeSegment,
  encodeSegment,
  type PackedSegment,
  SEGMENT_VERSION,
} from '../../formats/columns/segmentBytes.ts';
import { connections, database } from '../database/connection.ts';
import { daysAround } from '../retention/days.ts';
import { Breathing } from './breathing.ts';
import { completeDay, isReusable, type SegmentSubject, SLOT_NS, type SlotSubject } from './slots.ts';

/** Rows of a part of a slot. */
export interface StoredSegment {
  readonly segment: Segment;
  /** What the times of the segment count from, epoch nanoseconds. */
  readonly from: bigint;
  /** The day on which its records lie. */
  readonly day: number;
  /** The same for the same content, and never for another. */
  readonly key: string;
  readonly label: string;
}

/** Deflate level: higher ones take twice the time for a twentieth less. */
const LEVEL = 4;
const LEAST_CHUNK = 512;
const MOST_CHUNK = 64 * 1024;
const COMPRESSION: Compression = {
  deflate: (bytes) => deflateRawSync(bytes, { level: LEVEL }),
  // By default each gets a buffer of 16 KiB, which most columns of a slot are far below.
  inflate: (bytes, expected) => inflateRawSync(bytes, { chunkSize: Math.min(MOST_CHUNK, Math.max(LEAST_CHUNK, expected)) }),
};
/** PostgreSQL's code for a row whose day has no table. */
const NO_PARTITION = '23514';
/** Segments that are fetched together. */
const FETCHED_AT_ONCE = 24;

/** A slot as it is now, and the parts that are stored of it. */
export interface Slot {
  readonly day: number;
  readonly slot: number;
  readonly changed: number;
  readonly parts: readonly StoredPart[];
}

interface StoredPart {
  readonly part: number;
  readonly label: string;
  readonly changed: number;
  readonly version: number;
}

/** A part that is in memory. */
interface LabelledPart {
  readonly label: string;
  readonly segment: PackedSegment;
}

export interface SegmentRange {
  /** Epoch nanoseconds: slots that reach into the time from `from` to before `to` are read. */
  readonly from?: bigint;
  readonly to?: bigint;
  /** Whether those are wanted whose clock was out of range, which are left out otherwise. */
  readonly clockOutOfRange?: boolean;
  /** Only parts of this label are wanted, or only those whose labels begin so. */
  readonly label?: string;
  readonly labelStart?: string;
}

type WantedLabels = Pick<SegmentRange, 'label' | 'labelStart'>;

/** How a reading goes about slots whose columns are not current. */
export interface SegmentWork {
  /** Milliseconds that may be spent on bringing slots up to date; what is left after that is passed over. Without end by default. */
  readonly buildMs?: number;
  /** Called for a slot that was passed over, with when it begins and ends: what was stored of it before is returned, if anything. */
  readonly onPassedOver?: (from: bigint, to: bigint) => void;
  /** Whether slots that are not current are all passed over, and nothing is returned of them. */
  readonly isOnlyCurrent?: boolean;
  /** How many of how many slots are done. */
  readonly onProgress?: (done: number, of: number) => void;
}

/** How the columns of a subject are built. */
export interface ColumnBuild {
  readonly subject: SegmentSubject;
  /** The subject whose slots say what has changed; itself by default. @see slotsTogether */
  readonly follows?: SlotSubject;
  /** So many slots in a row are one here. */
  readonly slotsTogether?: number;
  /** So many records read anew are worth writing the columns of a slot that still grows. */
  readonly worthSaving: number;
  /**
   * Builds the rows of a slot, in order of time.
   *
   * @param former the parts as they were before the slot changed @param keep takes one finished part after the other, one at least, with
   * the label by which some readers choose
   * @returns how many records were read anew
   */
  readonly build: (slot: Slot, former: readonly Segment[], keep: (part: Segment, label?: string) => void) => Promise<number>;
}

/** What goes through columns. */
export interface SegmentReading {
  /**
   * The columns of all that lies in a stretch of time, the latest slot first. Slots that have changed since their columns were written are
   * brought up to date before they are returned.
   */
  read(range: SegmentRange, work?: SegmentWork): AsyncGenerator<StoredSegment>;
}

/** The columns of one subject, slot by slot. */
export interface SlotSegments extends SegmentReading {
  /**
   * Brings slots up to date that nobody has asked for and that have stopped growing, the latest first, until there are none or the time is
   * over.
   *
   * @returns whether some are left that could be built at once
   */
  settle(milliseconds: number): Promise<boolean>;
}

/** A slot is brought up to date in the background when it has not changed for so long: columns of one that still grows are written in vain. */
const QUIET_MS = 10_000;

/** Bytes that a process keeps in memory of all subjects together: of segments as they are packed, and of columns that are unpacked. */
const MOST_PACKED = 48 * 2 ** 20;
const MOST_UNPACKED = 112 * 2 ** 20;

// One for all subjects: each with a bound of its own they would together be more than a process may have.
const unpacked = new LRUCache<string, { readonly segment: PackedSegment }>({
  maxSize: MOST_UNPACKED,
  sizeCalculation: ({ segment }) => Math.max(1, segment.unpacked()),
  dispose: ({ segment }, _, reason) => {
    if (reason !== 'set') segment.forget();
  },
});
const cache = new LRUCache<string, PackedSegment>({
  maxSize: MOST_PACKED,
  sizeCalculation: ({ packed }) => Math.max(1, packed),
  dispose: (_, key, reason) => {
    if (reason !== 'set') unpacked.delete(key);
  },
});

/** Measures a segment in memory anew: which of its columns a reader unpacks is known only after it has had it. */
export function noteUnpacked(key: string): void {
  const segment = cache.get(key);
  if (!segment) return;
  // What is too large by itself is not taken in, and so would never be given up.
  if (segment.unpacked() > MOST_UNPACKED) segment.forget();
  // In a new object: what is set again as it is would not be measured again.
  else unpacked.set(key, { segment });
}

export function slotSegments({ subject, follows, slotsTogether = 1, worthSaving, build: buildRows }: ColumnBuild): SlotSegments {
  const slotSubject = follows ?? (subject as SlotSubject);
  const slotTable = sql.raw(`${slotSubject}_slot`);
  const segmentTable = sql.raw(`${subject}_segment`);
  /** Slots that are being built, so that two who ask at once wait for one reading. */
  const building = new Map<string, Promise<readonly LabelledPart[]>>();
  /** What was built last of slots that still grow and is not written yet. */
  const growing = new LRUCache<string, { readonly changed: number; readonly parts: readonly LabelledPart[] }>({ max: 8 });
  /** When the background first saw each stale slot as it is now. */
  const seen = new Map<string, { readonly changed: number; readonly at: number }>();

  async function* read(
    range: SegmentRange,
    { buildMs = Number.POSITIVE_INFINITY, onPassedOver, isOnlyCurrent, onProgress }: SegmentWork = {},
  ): AsyncGenerator<StoredSegment> {
    const slots = await slotsIn(range);
    const turns = new Breathing();
    let spent = 0;
    for (let at = 0; at < slots.length; at += FETCHED_AT_ONCE) {
      const some = slots.slice(at, at + FETCHED_AT_ONCE);
      await fetchParts(some.filter(isCurrent), range);
      for (const [index, slot] of some.entries()) {
        const began = performance.now();
        const isBuilt = isCurrent(slot) || growing.get(nameOf(slot))?.changed === slot.changed;
        const isPassedOver = (isOnlyCurrent || spent >= buildMs) && !isBuilt;
        if (isPassedOver) onPassedOver?.(fromOf(slot), endOf(slot));
        if (isPassedOver && isOnlyCurrent) continue;
        const segments = isPassedOver ? await formerSegments(slot) : await segmentsOf(slot, range);
        if (!isBuilt) spent += performance.now() - began;
        for (const it of segments) {
          if (!isWanted(it.label, range)) continue;
          yield it;
          noteUnpacked(it.key);
          await turns.breathe();
        }
        onProgress?.(at + index + 1, slots.length);
      }
    }
  }

  function fromOf({ slot }: Pick<Slot, 'slot'>): bigint {
    return BigInt(slot) * SLOT_NS;
  }

  function endOf({ slot }: Pick<Slot, 'slot'>): bigint {
    return BigInt(slot + slotsTogether) * SLOT_NS;
  }

  /** The slots of a stretch of time, the latest first. */
  async function slotsIn({ from, to, clockOutOfRange }: SegmentRange): Promise<Slot[]> {
    const { first, last } = daysAround(from, to);
    const days = clockOutOfRange ? sql`day = 0` : sql`day BETWEEN ${Math.max(first, 1)} AND ${last}`;
    // All slots of those that are one here, also where only a part lies in the time.
    const firstSlot = from === undefined ? undefined : together(Number(from / SLOT_NS));
    const lastSlot = to === undefined ? undefined : together(Number((to - 1n) / SLOT_NS)) + slotsTogether - 1;
    const { rows } = await database().execute(sql`
      SELECT slots.day, slots.slot, slots.changed::float8 AS changed,
        coalesce(json_agg(json_build_object('part', parts.part, 'label', parts.label, 'changed', parts.changed,
          'version', parts.version) ORDER BY parts.part)
          FILTER (WHERE parts.part IS NOT NULL), '[]') AS parts
      FROM (SELECT day, slot / ${slotsTogether}::int * ${slotsTogether}::int AS slot, sum(changed) AS changed FROM ${slotTable}
          WHERE ${days} ${firstSlot === undefined ? sql`` : sql`AND slot >= ${firstSlot}`}
            ${lastSlot === undefined ? sql`` : sql`AND slot <= ${lastSlot}`} GROUP BY 1, 2) AS slots
        LEFT JOIN ${segmentTable} AS parts ON parts.day = slots.day AND parts.slot = slots.slot
      GROUP BY 1, 2, 3 ORDER BY slots.slot DESC, slots.day DESC`);
    return rows as unknown as Slot[];
  }

  /** Brings the stored parts of some slots into the cache. */
  async function fetchParts(slots: readonly Slot[], only: WantedLabels = {}): Promise<void> {
    const missing = slots.filter((slot) =>
      slot.parts.some(({ part, label, changed }) => isWanted(label, only) && !cache.has(cacheKey(slot, part, changed))),
    );
    if (missing.length === 0) return;
    const wanted = missing.map(({ day, slot }) => sql`(${day}::int, ${slot}::int)`);
    const { rows } = await database().execute(sql`SELECT day, slot, part, changed::float8 AS changed, data FROM ${segmentTable}
      WHERE day BETWEEN ${Math.min(...missing.map(({ day }) => day))} AND ${Math.max(...missing.map(({ day }) => day))}
        AND (day, slot) IN (VALUES ${sql.join(wanted, sql`, `)}) ${only.label === undefined ? sql`` : sql`AND label = ${only.label}`}
        ${only.labelStart === undefined ? sql`` : sql`AND starts_with(label, ${only.labelStart})`}`);
    for (const { data, part, changed, ...slot } of rows as unknown as (Slot & { part: number; data: Buffer })[])
      remember(cacheKey(slot, part, changed), decodeSegment(data, COMPRESSION));
  }

  /** The first of the slots that are one here. */
  function together(slot: number): number {
    return Math.floor(slot / slotsTogether) * slotsTogether;
  }

  function cacheKey(slot: Pick<Slot, 'day' | 'slot'>, part: number, changed: number): string {
    return `${subject} ${keyOf(slot, part, changed)}`;
  }

  function remember(key: string, segment: PackedSegment | undefined): void {
    if (segment) cache.set(key, segment);
  }

  async function segmentsOf(slot: Slot, only: WantedLabels): Promise<StoredSegment[]> {
    const from = fromOf(slot);
    const described = (parts: readonly StoredPart[]) => {
      const wanted = parts.filter(({ label }) => isWanted(label, only));
      const found = wanted.map(({ part, label, changed }) => {
        const segment = cache.get(cacheKey(slot, part, changed));
        return segment && { segment, from, day: slot.day, key: cacheKey(slot, part, changed), label };
      });
      return found.every((it) => it !== undefined) ? found : undefined;
    };
    if (isCurrent(slot)) {
      const cached = described(slot.parts);
      if (cached) return cached;
      // Evicted between fetching and reading, or replaced meanwhile.
      await fetchParts([slot], only);
      const fetched = described(slot.parts);
      if (fetched) return fetched;
    }
    const built = await buildSlot(slot);
    return built.map(({ segment, label }, part) => ({
      segment,
      from,
      day: slot.day,
      key: cacheKey(slot, part, slot.changed),
      label,
    }));
  }

  function buildSlot(slot: Slot): Promise<readonly LabelledPart[]> {
    const key = keyOf(slot, 0, slot.changed);
    let work = building.get(key);
    if (!work) {
      work = build(slot).finally(() => building.delete(key));
      building.set(key, work);
    }
    return work;
  }

  async function build(slot: Slot): Promise<readonly LabelledPart[]> {
    const grown = growing.get(nameOf(slot));
    if (grown?.changed === slot.changed) return grown.parts;
    const known = grown && isReusable(grown.changed, slot.changed) ? grown.parts : await formerParts(slot);
    const former = known.map(({ segment }) => segment);
    const parts: LabelledPart[] = [];
    const encoded: Uint8Array[] = [];
    const read = await buildRows(slot, former, (part, label = '') => {
      // As it would be read again: what is kept in memory is packed, and columns are unpacked when they are asked for.
      const bytes = encodeSegment(part, COMPRESSION);
      encoded.push(bytes);
      parts.push({ label, segment: decodeSegment(bytes, COMPRESSION)! });
    });
    for (const [part, { segment }] of parts.entries()) remember(cacheKey(slot, part, slot.changed), segment);
    const isPast = endOf(slot) + SLOT_NS < BigInt(Date.now()) * 1_000_000n;
    if (isPast || read >= worthSaving)
      await save(slot, parts, encoded).catch(async (error: { code?: string }) => {
        if (error.code !== NO_PARTITION) throw error;
        await completeDay(slotSubject, slot.day);
        await save(slot, parts, encoded);
      });
    growing.set(nameOf(slot), { changed: slot.changed, parts });
    return parts;
  }

  /** The columns of a slot as they were before it changed. */
  async function formerSegments(slot: Slot): Promise<StoredSegment[]> {
    const from = fromOf(slot);
    const changed = slot.parts[0]?.changed ?? 0;
    return (await formerParts(slot)).map(({ segment, label }, part) => ({
      segment,
      from,
      day: slot.day,
      key: cacheKey(slot, part, changed),
      label,
    }));
  }

  async function formerParts(slot: Slot): Promise<LabelledPart[]> {
    const usable = slot.parts.filter((it) => it.version === SEGMENT_VERSION && isReusable(it.changed, slot.changed));
    if (usable.length === 0) return [];
    await fetchParts([{ ...slot, parts: usable }]);
    return usable.flatMap(({ part, label, changed }) => {
      const segment = cache.get(cacheKey(slot, part, changed));
      return segment ? [{ label, segment }] : [];
    });
  }

  /** Writes the parts of a slot in place of those that are there. Of two who do so at once the later one stays, which is no older. */
  async function save(
    { day, slot, changed }: Slot,
    parts: readonly LabelledPart[],
    encoded: readonly Uint8Array[],
  ): Promise<void> {
    const client = await connections().connect();
    try {
      await client.query('BEGIN');
      await client.query('SELECT pg_advisory_xact_lock($1, $2)', [day, slot]);
      await client.query(`DELETE FROM ${subject}_segment WHERE day = $1 AND slot = $2 AND changed <= $3`, [day, slot, changed]);
      for (const [part, { segment, label }] of parts.entries())
        await client.query(
          `INSERT INTO ${subject}_segment (day, slot, part, label, changed, version, rows, data) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
            ON CONFLICT (day, slot, part) DO NOTHING`,
          [day, slot, part, label, changed, SEGMENT_VERSION, segment.rows, Buffer.from(encoded[part])],
        );
      await client.query('COMMIT');
      client.release();
    } catch (error) {
      client.release(true);
      throw error;
    }
  }

  async function settle(milliseconds: number): Promise<boolean> {
    const now = Date.now();
    const slots = [...(await slotsIn({})), ...(await slotsIn({ clockOutOfRange: true }))];
    const stale = slots.filter((slot) => !isCurrent(slot));
    const quiet = stale.filter((slot) => !isGrowing(slot, now));
    const names = new Set(stale.map(nameOf));
    for (const name of seen.keys()) if (!names.has(name)) seen.delete(name);
    for (const slot of quiet) {
      if (Date.now() >= now + milliseconds) return true;
      await buildSlot(slot);
    }
    return false;
  }

  /** Whether records of a slot are likely still to come. */
  function isGrowing(slot: Slot, now: number): boolean {
    const known = seen.get(nameOf(slot));
    if (known?.changed !== slot.changed) seen.set(nameOf(slot), { changed: slot.changed, at: now });
    const quietMs = now - (known?.changed === slot.changed ? known.at : now);
    return quietMs < QUIET_MS || endOf(slot) > BigInt(now) * 1_000_000n - SLOT_NS / 5n;
  }

  return { read, settle };
}

function isWanted(it: string, { label, labelStart }: WantedLabels): boolean {
  return (label === undefined || it === label) && (labelStart === undefined || it.startsWith(labelStart));
}

function isCurrent({ changed, parts }: Slot): boolean {
  return parts.length > 0 && parts.every((it) => it.changed === changed && it.version === SEGMENT_VERSION);
}

function keyOf({ day, slot }: Pick<Slot, 'day' | 'slot'>, part: number, changed: number): string {
  return `${day} ${slot} ${part} ${changed}`;
}

function nameOf({ day, slot }: Pick<Slot, 'day' | 'slot'>): string {
  return `${day} ${slot}`;
}
