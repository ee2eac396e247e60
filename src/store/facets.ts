import { eq, sql } from 'drizzle-orm';
import { type Condition, fitsPositive } from '../core/scope/condition.ts';
import { readResource } from '../formats/otlp/attributes.ts';
import { bytesHash, isSameBytes } from '../formats/otlp/bytesHash.ts';
import type { AttributeVisitor, Facet } from '../formats/otlp/facets.ts';
import { eachAttribute, facetsOf, isFacetKey, keyWithin, LONGEST_VALUE, readAttribute } from '../formats/otlp/facets.ts';
import { BYTES, tag } from '../formats/otlp/wire.ts';
import { database } from './connection.ts';
import { internFacetRows } from './dictionaries.ts';
import { facet } from './schema/index.ts';

/**
 * Beyond so many values a key tells single requests apart rather than kinds of them. Its values are not noted any more; who looks for one
 * of them reads the spans.
 */
export const MOST_VALUES = 300;
/** Remembered attributes and resources, by their bytes. */
const MOST_REMEMBERED = 20_000;

let counts: Promise<Map<string, number>> | undefined;

/** How many values of each key are noted. */
async function valueCounts(): Promise<Map<string, number>> {
  counts ??= database()
    .select({ key: facet.key, count: sql<number>`count(*)::int` })
    .from(facet)
    .groupBy(facet.key)
    .then((rows) => new Map(rows.map((row) => [row.key, row.count])));
  counts.catch(() => {
    counts = undefined;
  });
  return counts;
}

const NONE: readonly number[] = [];
/** Ids by the bytes of an attribute that is a facet. */
const idOfAttribute = new Map<string, number>();
const idsOfResource = new Map<string, readonly number[]>();

/** The ids of the facets of some spans, in columns. */
export interface FacetColumns {
  /** Of the attributes of span `at`: those from `first[at]` to `first[at + 1]`. */
  readonly ids: readonly number[];
  readonly first: Uint32Array;
  /** Of each resource, one list for all its spans. */
  readonly ofResource: readonly (readonly number[])[];
}

/** The ids of the facets of spans and resources. @param records bytes of Span messages @param resources bytes of Resource messages */
export async function facetIds(records: readonly Uint8Array[], resources: readonly Uint8Array[]): Promise<FacetColumns> {
  if (idOfAttribute.size > MOST_REMEMBERED) idOfAttribute.clear();
  if (idsOfResource.size > MOST_REMEMBERED) idsOfResource.clear();
  const counts = await valueCounts();
  const unknown = new Set<string>();
  let columns = idsOfAttributes(records, counts, unknown);
  const keys = resources.map((bytes) => Buffer.from(bytes).toString('latin1'));
  const freshResources = [...new Set(keys)].filter((it) => !idsOfResource.has(it));
  if (unknown.size > 0 || freshResources.length > 0) await learn([...unknown], freshResources);
  // What has been learnt is known now.
  if (unknown.size > 0) columns = idsOfAttributes(records, counts, new Set());
  return { ...columns, ofResource: keys.map((key) => idsOfResource.get(key) ?? NONE) };
}

/** @param unknown where attributes go that may get an id, as latin1 */
function idsOfAttributes(records: readonly Uint8Array[], counts: ReadonlyMap<string, number>, unknown: Set<string>) {
  const taker = new IdTaker(counts, unknown);
  const first = new Uint32Array(records.length + 1);
  for (let at = 0; at < records.length; at++) {
    const record = records[at];
    const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
    eachAttribute(bytes, taker);
    first[at + 1] = taker.ids.length;
  }
  return { ids: taker.ids, first };
}

/** Takes down the ids of attributes. */
class IdTaker implements AttributeVisitor {
  readonly ids: number[] = [];
  readonly #counts: ReadonlyMap<string, number>;
  readonly #unknown: Set<string>;

  constructor(counts: ReadonlyMap<string, number>, unknown: Set<string>) {
    this.#counts = counts;
    this.#unknown = unknown;
  }

  visit(record: Buffer, start: number, end: number): void {
    const id = knownId(record, start, end, this.#counts, this.#unknown);
    if (id > 0) this.ids.push(id);
  }
}

/** A key of attributes, found by its bytes. */
interface SeenKey {
  readonly bytes: Buffer;
  readonly key: string;
  readonly isFacet: boolean;
}

const SLOTS = 16_384;
/** Attributes seen lately, found by their bytes without making a text of them. An id once given is never another's. */
const slots = new Array<{ readonly bytes: Buffer; readonly id: number } | undefined>(SLOTS).fill(undefined);
const KEY_SLOTS = 1024;
const seenKeys = new Array<SeenKey | undefined>(KEY_SLOTS).fill(undefined);

/** The id of an attribute; 0 when it has none, in which case it is added to the unknown ones if it may get one. */
function knownId(bytes: Buffer, start: number, end: number, counts: ReadonlyMap<string, number>, unknown: Set<string>): number {
  // Its key stands first, nearly always, and most that are no facets are told by it.
  const keyEnd = bytes[start] === KEY_TAG && bytes[start + 1] < 128 ? Math.min(end, start + 2 + bytes[start + 1]) : start;
  const keyHash = bytesHash(bytes, start, keyEnd);
  const key = seenKey(bytes, start, keyEnd, keyHash);
  if (!key.isFacet || end - keyEnd > LONGEST_BYTES) return 0;
  const slot = bytesHash(bytes, keyEnd, end, keyHash) % SLOTS;
  const entry = slots[slot];
  if (entry && isSameBytes(entry.bytes, bytes, start, end)) return entry.id;
  const text = bytes.toString('latin1', start, end);
  const id = idOfAttribute.get(text);
  if (id === undefined) {
    if ((counts.get(key.key) ?? 0) < MOST_VALUES) unknown.add(text);
    return 0;
  }
  // A copy, so that the body it stands in is not held.
  slots[slot] = { bytes: Buffer.from(bytes.subarray(start, end)), id };
  return id;
}

const KEY_TAG = tag(1, BYTES);
/** A value in more bytes than this is too long for a facet, however its text is written. */
const LONGEST_BYTES = 4 * LONGEST_VALUE;

function seenKey(bytes: Buffer, start: number, end: number, hash: number): SeenKey {
  const slot = hash % KEY_SLOTS;
  const seen = seenKeys[slot];
  if (seen && isSameBytes(seen.bytes, bytes, start, end)) return seen;
  const key = keyWithin(bytes.toString('latin1', start, end));
  const made = { bytes: Buffer.from(bytes.subarray(start, end)), key, isFacet: isFacetKey(key) };
  seenKeys[slot] = made;
  return made;
}

async function learn(attributes: readonly string[], resources: readonly string[]): Promise<void> {
  const known = await valueCounts();
  const ofAttribute = attributes.map((it) => facetsOf(readAttribute(Buffer.from(it, 'latin1'))));
  const ofResource = resources.map((key) => facetsOf(readResource(Buffer.from(key, 'latin1'))));
  const wanted = [...ofAttribute, ...ofResource].flat().filter(({ key }) => (known.get(key) ?? 0) < MOST_VALUES);
  const ids = await internFacets(wanted, known);
  const idOf = (it: Facet) => ids.get(`${it.key}\0${it.value}`) ?? 0;
  attributes.forEach((key, at) => {
    const [one] = ofAttribute[at];
    // What is no facet by its value never will be one.
    const id = one ? idOf(one) : 0;
    if (id > 0 || !one) idOfAttribute.set(key, id);
  });
  resources.forEach((key, at) => {
    idsOfResource.set(
      key,
      ofResource[at].map(idOf).filter((id) => id > 0),
    );
  });
}

async function internFacets(items: readonly Facet[], known: Map<string, number>): Promise<Map<string, number>> {
  const distinct = [...new Map(items.map((it) => [`${it.key}\0${it.value}`, it])).entries()];
  const ids = await internFacetRows(distinct.map(([, it]) => it));
  const before = new Map<string, number>();
  for (const [, { key }] of distinct) before.set(key, (before.get(key) ?? 0) + 1);
  // Counted too high where a value was there already; put right from the table now and then.
  for (const [key, added] of before) known.set(key, (known.get(key) ?? 0) + added);
  if ([...before.keys()].some((key) => known.get(key)! >= MOST_VALUES)) {
    const rows = await database().select({ key: facet.key, count: sql<number>`count(*)::int` }).from(facet).groupBy(facet.key);
    for (const row of rows) known.set(row.key, row.count);
  }
  return new Map(distinct.map(([key], at) => [key, ids[at]]));
}

/** The facets for which a condition's positive form holds: its opposite holds for requests that have none of them. */
export async function facetsLike(it: Condition): Promise<{ ids: number[]; many: boolean }> {
  const rows = await database().select({ id: facet.id, value: facet.value }).from(facet).where(eq(facet.key, it.field));
  return { ids: rows.filter((row) => fitsPositive(it, row.value)).map((row) => row.id), many: rows.length >= MOST_VALUES };
}
