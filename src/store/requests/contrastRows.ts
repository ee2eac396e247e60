import { setImmediate as breathe } from 'node:timers/promises';
import { type CodeColumn, codesOf, type ListColumn, listsOf, numbersOf, type Segment } from '../../core/columns/segment.ts';
import type { Kind } from '../../core/contrast/judge.ts';
import {
  type ContrastBlock,
  type ContrastSource,
  type FacetColumn,
  GROUPS,
  type Label,
} from '../../core/contrast/requests/contrastSource.ts';
import { isContrasted } from '../../core/contrast/requests/facetKeys.ts';
import { gathered } from '../../core/contrast/requests/gather.ts';
import { facetKey, sizeOf } from '../../core/contrast/requests/requestSet.ts';
import { idHash } from '../../core/measures/sampling/stratifiedSample.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import { readRunsOn } from '../../core/requests/requestRow.ts';
import { isEventField } from '../../core/trace/eventFields.ts';
import { isFacetKey } from '../../formats/otlp/attributes/facets.ts';
import { type Part, type SideRows, type Sides, sampledSides, wholeSides } from './contrastSides.ts';
import type { MatchingRows } from './matchingRequests.ts';
import { eachRequest } from './requestScope.ts';

export interface ContrastSides extends Sides {
  /** Whether the source has those of `b` for A, and those of `a` for B. */
  readonly swapped: boolean;
}

export interface ReadOptions {
  /** Of more requests than this a sample is read, stratified by duration and outcome. */
  readonly most: number;
  /** Whether of long windows the samples are read that are stored by the hour. */
  readonly isQuick?: boolean;
  readonly signal?: AbortSignal;
}

/** Requests of both sides: how many there are, and of how many of them the source is. */
export interface ContrastRows {
  readonly source: ContrastSource;
  /** The same, each block with the segment that it is of. */
  readonly scan: (visit: (block: ContrastBlock, segment: Segment) => void) => Promise<void>;
  readonly requests: number;
  readonly read: number;
  /** How many requests one that is read represents at most. */
  readonly mostWeight: number;
}

const MINUTE_NS = 60_000_000_000;
/** A dictionary with so many texts, more than one for every second request, names single requests. */
const MANY_TEXTS = 1_000;
/** So few requests are held in memory with all their values, about half a kilobyte each, rather than read anew each time. */
const FEW = 200_000;

/**
 * The requests of both sides of a contrast. The first look finds out which they are. Few are then held in memory; many are read each time that they
 * are gone through, so that memory does not grow with their attributes. Memory beside that: a bit a stored request of the windows.
 */
export async function contrastRows(sides: ContrastSides, { most, isQuick = false, signal }: ReadOptions): Promise<ContrastRows> {
  const half = Math.max(1, Math.floor(most / 2));
  const [a, b] = (isQuick && (await sampledSides(sides, half, signal))) || (await wholeSides(sides, half, signal));
  const scan = scanOf(sides, [a, b], signal);
  const source: ContrastSource = { scan: (visit) => scan((block) => visit(block)) };
  const read = a.read + b.read;
  return {
    source: read <= FEW ? await gathered(source, breathe) : source,
    scan,
    requests: a.requests + b.requests,
    read,
    mostWeight: mostWeightOf(a, b),
  };
}

function mostWeightOf(...sides: readonly SideRows[]): number {
  let most = 1;
  for (const { parts } of sides)
    for (const { weights = [] } of parts.values()) for (const it of weights) most = Math.max(most, it);
  return most;
}

function scanOf(
  { outcome, swapped }: ContrastSides,
  sides: readonly SideRows[],
  signal: AbortSignal | undefined,
): ContrastRows['scan'] {
  return async (visit) => {
    for (const [which, { readings, parts }] of sides.entries())
      for (const { filter, segments, onLeftOut } of readings)
        await eachRequest(
          filter,
          (found) => {
            const part = parts.get(found.key);
            if (part) visit(blockOf(found, part, (which === 0) !== swapped, outcome), found.segment);
          },
          { signal, segments, onLeftOut },
        );
  };
}

function blockOf(
  { segment, from }: MatchingRows,
  { rows, weights }: Part,
  isA: boolean,
  outcome: Kind['outcome'],
): ContrastBlock {
  const ids = segment.column(requests.ID);
  const bytes = ids?.type === 'bytes' ? ids.values : new Uint8Array(segment.rows * 16);
  const start = numbersOf(segment, requests.START);
  const delay = numbersOf(segment, requests.ROOT_DELAY);
  const duration = numbersOf(segment, requests.DURATION);
  const flags = codesOf(segment, requests.OUTCOME).values;
  const entry = codesOf(segment, requests.ENTRY);
  const user = codesOf(segment, requests.USER);
  const own = new Uint8Array(rows.length * 16);
  for (const [at, row] of rows.entries()) own.set(bytes.subarray(row * 16, row * 16 + 16), at * 16);
  const base = Number(from);
  return {
    count: rows.length,
    rows,
    isA: new Uint8Array(rows.length).fill(isA ? 1 : 0),
    outcome: Float64Array.from(rows, (row) =>
      outcome === 'duration' ? duration[row] : (flags[row] & requests.ROOT_FAILED) !== 0 ? 1 : 0,
    ),
    weight: weights ?? new Float64Array(rows.length).fill(1),
    group: Uint8Array.from(rows, (row) => idHash(bytes, row * 16) % GROUPS),
    minute: Int32Array.from(rows, (row) => Math.floor((base + start[row] + delay[row]) / MINUTE_NS)),
    entry: rows.map((row) => Math.max(0, entry.values[row] - 1)),
    entries: entry.texts.length > 0 ? entry.texts : [''],
    ids: own,
    columns: facetColumns(segment),
    user: (at) => (user.values[rows[at]] === 0 ? '' : user.texts[user.values[rows[at]] - 1]),
  };
}

/** What the texts of dictionaries mean; a dictionary lives as long as its segment is in memory. */
const known = new WeakMap<readonly string[], { readonly labels: readonly Label[]; readonly keys: ReadonlySet<string> }>();

function facetColumns(segment: Segment): FacetColumn[] {
  const columns: FacetColumn[] = [];
  const add = ({ offsets, items, texts }: Pick<ListColumn, 'offsets' | 'items' | 'texts'>, read: (text: string) => Label) => {
    let meaning = known.get(texts);
    if (!meaning) {
      const labels = texts.map(read);
      meaning = { labels, keys: new Set(labels.map(({ facet }) => facetKey(facet))) };
      known.set(texts, meaning);
    }
    columns.push({ offsets, items, ...meaning });
  };
  for (const key of requests.attributeKeys(segment)) {
    if (!(isFacetKey(key) || isEventField(key)) || !isContrasted(key)) continue;
    const list = listsOf(segment, requests.attributeColumn(key));
    const isMany = list.texts.length > MANY_TEXTS && list.texts.length > segment.rows / 2;
    if (isMany && !list.texts.slice(0, 20).every((text) => Number.isFinite(sizeOf(text)))) continue;
    const facet = { field: key, service: null };
    add(list, (value) => ({ facet, value }));
  }
  add(listsOf(segment, requests.RUNS_ON), (text) => {
    const { service, key, value } = readRunsOn(text);
    return { facet: { field: key, service }, value };
  });
  const entry = { field: 'entry', service: null };
  add(listOf(codesOf(segment, requests.ENTRY)), (text) => ({ facet: entry, value: requests.readOperation(text).name }));
  const user = { field: 'user', service: null };
  add(listOf(codesOf(segment, requests.USER)), (value) => ({ facet: user, value }));
  return columns;
}

/** A column of one code a row as lists of one or none. */
function listOf({ values, texts }: CodeColumn): Pick<ListColumn, 'offsets' | 'items' | 'texts'> {
  const offsets = new Uint32Array(values.length + 1);
  const items = new Uint32Array(values.length);
  let count = 0;
  for (let row = 0; row < values.length; row++) {
    if (values[row] > 0) items[count++] = values[row] - 1;
    offsets[row + 1] = count;
  }
  return { offsets, items: items.subarray(0, count), texts };
}
