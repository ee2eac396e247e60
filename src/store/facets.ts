import { eq, sql } from 'drizzle-orm';
import { type Condition, fitsPositive } from '../core/scope/condition.ts';
import { readResource } from '../formats/otlp/attributes.ts';
import { bytesHash, isSameBytes } from '../formats/otlp/bytesHash.ts';
import type { Facet } from '../formats/otlp/facets.ts';
import { eachAttribute, facetsOf, isFacetKey, keyWithin, readAttribute } from '../formats/otlp/facets.ts';
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

interface WithAttributes {
  readonly record: Uint8Array;
  readonly group: { readonly resource: Uint8Array };
}

/** The ids of the facets of a span: of its own attributes, and of its resource's, the same list for all spans of a resource. */
export interface FacetIds {
  readonly own: readonly number[];
  readonly ofResource: readonly number[];
}

/** The ids of the facets of each span. */
export async function facetIds(spans: readonly WithAttributes[]): Promise<FacetIds[]> {
  if (idOfAttribute.size > MOST_REMEMBERED) idOfAttribute.clear();
  if (idsOfResource.size > MOST_REMEMBERED) idsOfResource.clear();
  // Of each span the ids that are known, and the attributes that may get one.
  const unknown: string[][] = [];
  const own = spans.map(({ record }, at) => {
    const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
    const ids: number[] = [];
    eachAttribute(bytes, (start, end) => {
      const id = knownId(bytes, start, end);
      if (typeof id === 'number') ids.push(id);
      else if (unknown[at]) unknown[at].push(id);
      else unknown[at] = [id];
    });
    return ids;
  });
  const resources = new Map<Uint8Array, string>();
  for (const { group } of spans)
    if (!resources.has(group.resource)) resources.set(group.resource, Buffer.from(group.resource).toString('latin1'));
  const fresh = new Set<string>();
  for (const at in unknown) for (const key of unknown[at]) fresh.add(key);
  const freshResources = [...new Set(resources.values())].filter((it) => !idsOfResource.has(it));
  if (fresh.size > 0 || freshResources.length > 0) await learn([...fresh], freshResources);
  const ofResource = new Map([...resources].map(([bytes, key]) => [bytes, idsOfResource.get(key) ?? NONE]));
  return own.map((ids, at) => {
    for (const key of unknown[at] ?? []) {
      const id = idOfAttribute.get(key);
      if (id !== undefined) ids.push(id);
    }
    return { own: ids, ofResource: ofResource.get(spans[at].group.resource)! };
  });
}

const SLOTS = 16_384;
/** Attributes seen lately, found by their bytes without making a text of them. An id once given is never another's. */
const slots = new Array<{ readonly bytes: Buffer; readonly id: number } | undefined>(SLOTS).fill(undefined);

/** The id of an attribute; its bytes as latin1 when it has none yet. */
function knownId(bytes: Buffer, start: number, end: number): number | string {
  const slot = bytesHash(bytes, start, end) % SLOTS;
  const entry = slots[slot];
  if (entry && isSameBytes(entry.bytes, bytes, start, end)) return entry.id;
  const key = bytes.toString('latin1', start, end);
  const id = idOfAttribute.get(key);
  if (id === undefined) return key;
  // A copy, so that the body it stands in is not held.
  slots[slot] = { bytes: Buffer.from(bytes.subarray(start, end)), id };
  return id;
}

async function learn(attributes: readonly string[], resources: readonly string[]): Promise<void> {
  const known = await valueCounts();
  // Attributes that are different every time are told by their key, without reading them.
  const notable = attributes.filter((it) => {
    const key = keyWithin(it);
    return isFacetKey(key) && (known.get(key) ?? 0) < MOST_VALUES;
  });
  const ofAttribute = notable.map((it) => facetsOf(readAttribute(Buffer.from(it, 'latin1'))));
  const ofResource = resources.map((key) => facetsOf(readResource(Buffer.from(key, 'latin1'))));
  const wanted = [...ofAttribute, ...ofResource].flat().filter(({ key }) => (known.get(key) ?? 0) < MOST_VALUES);
  const ids = await internFacets(wanted, known);
  const idOf = (it: Facet) => ids.get(`${it.key}\0${it.value}`) ?? 0;
  notable.forEach((key, at) => {
    const id = ofAttribute[at].map(idOf).at(0) ?? 0;
    if (id > 0) idOfAttribute.set(key, id);
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
