import { eq, inArray, sql } from 'drizzle-orm';
import { type Condition, fitsPositive } from '../../core/scope/condition.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { type Facet, facetsOf, isFacetKey, OTHER_VALUE } from '../../formats/otlp/attributes/facets.ts';
import { forgetSeenAttributes, NO_FACET, type SeenAttribute, UNASKED } from '../../formats/otlp/attributes/seenAttributes.ts';
import { database } from '../database/connection.ts';
import { facet } from '../schema/index.ts';
import { internFacetRows, MOST_VALUES } from './dictionaries.ts';
import { Midnight } from './midnight.ts';
import { OTHER } from './ownerCounts.ts';

/** Remembered resources, by their bytes. */
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
const idsOfResource = new Map<string, readonly number[]>();
const midnight = new Midnight();

/**
 * Finds out of which facets some attributes are, and notes it in them.
 *
 * @param count how many of them, from the first @param resources bytes of Resource messages
 * @returns the ids of the facets of each resource
 */
export async function askFacets(
  attributes: readonly SeenAttribute[],
  count: number,
  resources: readonly Uint8Array[],
): Promise<readonly (readonly number[])[]> {
  const isNewDay = midnight.hasPassed();
  if (isNewDay) {
    forgetSeenAttributes();
    counts = undefined;
    for (let at = 0; at < count; at++) attributes[at].facetId = UNASKED;
  }
  if (isNewDay || idsOfResource.size > MOST_REMEMBERED) idsOfResource.clear();
  const noted = await valueCounts();
  const unasked = new Set<SeenAttribute>();
  for (let at = 0; at < count; at++) {
    const it = attributes[at];
    if (it.facetId !== UNASKED || unasked.has(it) || (noted.get(it.key) ?? 0) >= MOST_VALUES) continue;
    // What is no facet by its key or value never will be one.
    if (facetOf(it) === undefined) it.facetId = NO_FACET;
    else unasked.add(it);
  }
  const keys = resources.map((bytes) => Buffer.from(bytes).toString('latin1'));
  const freshResources = [...new Set(keys)].filter((it) => !idsOfResource.has(it));
  if (unasked.size > 0 || freshResources.length > 0) await learn([...unasked], freshResources);
  return keys.map((key) => idsOfResource.get(key) ?? NONE);
}

function facetOf({ key, value }: SeenAttribute): Facet | undefined {
  return facetsOf({ [key]: value })[0];
}

async function learn(attributes: readonly SeenAttribute[], resources: readonly string[]): Promise<void> {
  const known = await valueCounts();
  const ofAttribute = attributes.map((it) => facetOf(it)!);
  const ofResource = resources.map((key) => facetsOf(readResource(Buffer.from(key, 'latin1'))));
  const wanted = [...ofAttribute, ...ofResource.flat()].filter(({ key }) => (known.get(key) ?? 0) < MOST_VALUES);
  const ids = await internFacets(wanted, known);
  const idOf = (it: Facet) => ids.get(`${it.key}\0${it.value}`) ?? 0;
  attributes.forEach((it, at) => {
    const id = idOf(ofAttribute[at]);
    if (id > 0) it.facetId = id;
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

/**
 * The facets for which a condition's positive form holds: its opposite holds for requests that have none of them.
 *
 * @returns undefined when facets do not tell, so that spans have to be read
 */
export async function facetsLike(it: Condition): Promise<number[] | undefined> {
  if (!isFacetKey(it.field)) return undefined;
  const found = await database()
    .select({ key: facet.key, id: facet.id, value: facet.value })
    .from(facet)
    .where(inArray(facet.key, [it.field, OTHER]));
  const rows = found.filter(({ key }) => key === it.field);
  // Where there are more keys than are told apart, one that nothing is noted of may be among the others.
  if (rows.length >= MOST_VALUES || (rows.length === 0 && found.length > 0)) return undefined;
  const anyValue = it.operator === 'exists' || it.operator === 'is missing';
  if (!anyValue && rows.some((row) => row.value === OTHER_VALUE)) return undefined;
  return rows.filter((row) => fitsPositive(it, row.value)).map((row) => row.id);
}

/** All values that were noted of one attribute, by name. */
export async function valuesOf(key: string): Promise<string[]> {
  const rows = await database().select({ value: facet.value }).from(facet).where(eq(facet.key, key)).orderBy(facet.value);
  return rows.map((row) => row.value).filter((value) => value !== OTHER_VALUE);
}
