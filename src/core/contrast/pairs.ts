import type { Candidate } from './candidates.ts';
import { type Totals, totalsOf } from './explained.ts';
import { judge, type Kind } from './judge.ts';
import { logsOf, minusSums, type SetSums } from './requests/facetSums.ts';
import { type Clause, facetKey, type RequestSet, setKey } from './requests/requestSet.ts';
import type { Members, RequestTable } from './requests/requestTable.ts';

/** Sets say the same when they share so many of their requests (Jaccard). */
export const TWINS = 0.95;
/** Fewer requests than this are too few for a pair. */
const FEWEST = 5;
/** What is left of a set without the pair behaves like the rest when it differs by less than this part of what the pair does. */
const HALF = 0.5;

/** A set that was found, the requests that belong to it, and the sets that hold for the same ones. */
export interface Found extends Candidate {
  readonly members: Members;
  readonly twins: readonly RequestSet[];
}

/**
 * Two sets at once, where both are needed: what is left of either without the other behaves like the rest. Pairs that differ in a value of one
 * facet are joined where that separates better.
 *
 * @returns `tried`: how many pairs were looked at, needed or not
 */
export function pairsOf(
  atoms: readonly Found[],
  table: RequestTable,
  kind: Kind,
  all: SetSums,
): { readonly pairs: Found[]; readonly tried: number } {
  const pairs: Found[] = [];
  let tried = 0;
  for (const [at, one] of atoms.entries())
    for (const other of atoms.slice(at + 1)) {
      const facets = new Set([...one.set, ...other.set].map(({ facet }) => facetKey(facet)));
      if (facets.size < 2) continue;
      tried++;
      // In one order, so that pairs of the same two facets can be told to be alike.
      const [first, second] = facetKey(one.set[0].facet) < facetKey(other.set[0].facet) ? [one, other] : [other, one];
      const members = [...first.members, ...second.members];
      const pair = found([...first.set, ...second.set], members, one.half || other.half, table, kind, all);
      const least = Math.min(sizeOf(one), sizeOf(other));
      if (sizeOf(pair) < FEWEST || sizeOf(pair) >= TWINS * least || !(pair.judged.explained.value > 0)) continue;
      if (isNeeded(pair, one, other, kind, all) && isNeeded(pair, other, one, kind, all)) pairs.push(pair);
    }
  const unions = joined(pairs, table, kind, all);
  return { pairs: [...pairs, ...unions], tried: tried + unions.length };
}

function found(set: RequestSet, members: Members, half: boolean, table: RequestTable, kind: Kind, all: SetSums): Found {
  const sums = table.sumsOf(members);
  return { set, members, half, sums, judged: judge(all, sums, kind, { half }), twins: [] };
}

function sizeOf({ judged: { totals } }: Found): number {
  return totals.nA + totals.nB;
}

/** Whether a parent of a pair makes no difference without the other one, as far as can be told: each is held against its like without the parent. */
function isNeeded(pair: Found, parent: Found, other: Found, kind: Kind, all: SetSums): boolean {
  const withOther = minusSums(other.sums, pair.sums);
  const parentAlone = minusSums(parent.sums, pair.sums);
  const withNeither = minusSums(minusSums(all, parent.sums), withOther);
  const ofPair = effect(pair.sums, withOther, kind);
  const ofRest = effect(parentAlone, withNeither, kind);
  return ofRest.value + ofRest.error < HALF * ofPair.value;
}

interface Effect {
  readonly value: number;
  readonly error: number;
}

/** By how much requests of a set differ from those outside of it, one by one: what is the same in B is taken off. */
function effect(set: SetSums, outside: SetSums, { byOutcome }: Kind): Effect {
  const [inside, out] = [totalsOf(logsOf(set)), totalsOf(logsOf(outside))];
  if (byOutcome) {
    const share = ({ nA, nB }: Totals) => (nA + nB > 0 ? nA / (nA + nB) : 0);
    const n = Math.max(1, inside.nA + inside.nB);
    return { value: share(inside) - share(out), error: Math.sqrt((share(inside) * (1 - share(inside)) + 1 / n) / n) };
  }
  if (inside.nA === 0) return { value: 0, error: Number.POSITIVE_INFINITY };
  const mean = (sum: number, n: number) => (n > 0 ? sum / n : 0);
  const spread = (sum: number, squares: number, n: number) => (n > 1 ? Math.max(0, squares / n - (sum / n) ** 2) / n : 0);
  const inA = mean(inside.sumA, inside.nA) - mean(out.sumA, out.nA);
  const inB = inside.nB > 0 ? mean(inside.sumB, inside.nB) - mean(out.sumB, out.nB) : 0;
  const variance =
    spread(inside.sumA, set.logSquares[0], inside.nA) + (inside.nB > 0 ? spread(inside.sumB, set.logSquares[1], inside.nB) : 0);
  return { value: inA - inB, error: Math.sqrt(variance) };
}

/** Pairs that differ in the values of one clause alone, several values in one. */
function joined(pairs: readonly Found[], table: RequestTable, kind: Kind, all: SetSums): Found[] {
  const known = new Set(pairs.map(({ set }) => setKey(set)));
  const made = new Map<string, Found>();
  for (const start of [...pairs].sort((a, b) => b.judged.deviance - a.judged.deviance).slice(0, 8)) {
    let best = start;
    for (const other of pairs) {
      const at = differsIn(best.set, other.set);
      if (at === undefined) continue;
      const [mine, theirs] = [best.set[at], other.set[at]];
      if (!('values' in mine && 'values' in theirs)) continue;
      const values = [...new Set([...mine.values, ...theirs.values])].sort();
      if (values.length === mine.values.length) continue;
      const set = best.set.map((it, part): Clause => (part === at ? { facet: mine.facet, values } : it));
      const members = best.members.map((any, part) => (part === at ? [...new Set([...any, ...other.members[at]])] : any));
      const union = found(set, members, best.half || other.half, table, kind, all);
      if (union.judged.deviance > best.judged.deviance && union.judged.explained.value > best.judged.explained.value)
        best = union;
    }
    const key = setKey(best.set);
    if (best !== start && !known.has(key)) made.set(key, best);
  }
  return [...made.values()];
}

/** The one clause in which two sets differ by its values only; undefined when they differ otherwise. */
function differsIn(a: RequestSet, b: RequestSet): number | undefined {
  if (a.length !== b.length) return undefined;
  const different = a.flatMap((clause, at) => (JSON.stringify(clause) === JSON.stringify(b[at]) ? [] : [at]));
  const [at] = different;
  return different.length === 1 && facetKey(a[at].facet) === facetKey(b[at].facet) ? at : undefined;
}
