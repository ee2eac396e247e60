import { codesOf, listsOf, numberListsOf, type Segment } from '../../core/columns/segment.ts';
import { PathDifference } from '../../core/contrast/pathDifference.ts';
import { type ContrastBlock, membersOf } from '../../core/contrast/requests/contrastSource.ts';
import { isSaid } from '../../core/contrast/requests/facetKeys.ts';
import type { RequestSet } from '../../core/contrast/requests/requestSet.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import type { RequestFailure } from '../../core/requests/requestRow.ts';
import type { PathPart } from '../../core/topology/origin/pathParts.ts';
import type { ContrastRows } from './contrastRows.ts';

/** Requests that began to fail in one way. */
export interface FailingWay {
  readonly party: string;
  readonly words: string;
  /** Of A, of B, and of those left. */
  readonly counts: Float64Array;
}

/** Requests that say the same of how they ended. */
export interface SaidValue {
  readonly field: string;
  readonly value: string;
  /** Of A, of B, and of those left. */
  readonly counts: Float64Array;
}

/** Where the time of both populations went, and where their failures began; of all requests, and of those left when sets are peeled off. */
export async function contrastPaths(
  { scan }: ContrastRows,
  peeled: readonly RequestSet[],
): Promise<{ paths: PathDifference; failing: FailingWay[]; said: SaidValue[] }> {
  const paths = new PathDifference();
  const ways = new Map<string, FailingWay>();
  const said = new Map<string, SaidValue>();
  const parts = new Map<string, PathPart>();
  await scan((block, segment) => {
    const left = new Uint8Array(block.count).fill(1);
    for (const set of peeled) for (const [at, is] of membersOf(block, set).entries()) if (is === 1) left[at] = 0;
    const path = listsOf(segment, requests.PATH);
    const ns = numberListsOf(segment, requests.PATH_NS);
    const partOf = path.texts.map((text) => {
      const part = parts.get(text) ?? requests.readPart(text);
      parts.set(text, part);
      return part;
    });
    const failureOf = failures(segment);
    for (const key of requests.attributeKeys(segment).filter(isSaid)) addSaid(said, key, segment, block, left);
    for (let at = 0; at < block.count; at++) {
      const row = block.rows[at];
      const isA = block.isA[at] === 1;
      const found: [PathPart, number][] = [];
      for (let item = path.offsets[row]; item < path.offsets[row + 1]; item++)
        found.push([partOf[path.items[item]], ns.values[ns.offsets[row] + item - path.offsets[row]]]);
      paths.add(isA, left[at] === 1, block.weight[at], found);
      const failure = failureOf(row);
      if (!failure) continue;
      const key = JSON.stringify([failure.party, failure.words]);
      const way = ways.get(key) ?? { party: failure.party, words: failure.words, counts: new Float64Array(4) };
      ways.set(key, way);
      way.counts[isA ? 0 : 1] += block.weight[at];
      if (left[at] === 1) way.counts[isA ? 2 : 3] += block.weight[at];
    }
  });
  return { paths, failing: [...ways.values()], said: [...said.values()] };
}

/** Values of one field, at most: words that differ each time tell nothing. */
const MOST_SAID = 500;

function addSaid(into: Map<string, SaidValue>, field: string, segment: Segment, block: ContrastBlock, left: Uint8Array): void {
  const { offsets, items, texts } = listsOf(segment, requests.attributeColumn(field));
  const of = texts.map((value) => {
    const key = `${field}\0${value}`;
    const known = into.get(key);
    if (known || into.size >= MOST_SAID) return known;
    const added = { field, value, counts: new Float64Array(4) };
    into.set(key, added);
    return added;
  });
  for (let at = 0; at < block.count; at++) {
    const row = block.rows[at];
    const side = block.isA[at] === 1 ? 0 : 1;
    for (let item = offsets[row]; item < offsets[row + 1]; item++) {
      const counts = of[items[item]]?.counts;
      if (!counts) continue;
      counts[side] += block.weight[at];
      if (left[at] === 1) counts[2 + side] += block.weight[at];
    }
  }
}

/** Where a request that failed began to fail. */
function failures(segment: Segment): (row: number) => RequestFailure | undefined {
  const flags = codesOf(segment, requests.OUTCOME).values;
  const failure = codesOf(segment, requests.FAILURE);
  const read = failure.texts.map(requests.readFailure);
  return (row) =>
    (flags[row] & requests.ROOT_FAILED) !== 0 && failure.values[row] > 0 ? read[failure.values[row] - 1] : undefined;
}
