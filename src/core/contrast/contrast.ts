import { boundOfFindings } from '../verdict/benjaminiHochberg.ts';
import { type Candidate, candidates } from './candidates.ts';
import { type Detail, detailOf } from './detail.ts';
import { AS_THEY_ARE, EntryMeans } from './expected.ts';
import { differenceOf, interval, jackknife, type Totals } from './explained.ts';
import { type Judged, judge, type Kind } from './judge.ts';
import { type Found, pairsOf, TWINS } from './pairs.ts';
import { prefer } from './prefer.ts';
import type { ContrastSource } from './requests/contrastSource.ts';
import { FacetCounts } from './requests/facetCounts.ts';
import { type Expected, FacetSums, minusSums, type SetSums } from './requests/facetSums.ts';
import { type Facet, facetKey, type RequestSet, setKey } from './requests/requestSet.ts';
import { type RequestTable, readTable } from './requests/requestTable.ts';
import { type RuledOut, ruledOut } from './ruledOut.ts';

/** Of all findings of a page at most this share are by chance. */
const CHANCE_RATE = 0.01;
/** Fewer requests on a side are not enough to tell anything. */
const ENOUGH = 20;
/** Sets that are looked at request by request, and those of which pairs are tried. */
const MOST_ATOMS = 96;
const MOST_PAIRED = 20;
const MOST_ROWS = 12;
const MOST_MAYBE = 6;
const MOST_ALONG = 5;
/** One set contains another when it has so many of its requests. */
const CONTAINS = 0.98;
/** Sets explain alike within so much of the whole. */
const ALIKE = 0.05;
/** What a pair beside the first row explains of what that leaves, at least. */
const BESIDE = 0.02;
/** A set worth a line explains so much at least. */
const LEAST_SHARE = 0.01;
const WORTH_A_LOOK = 0.05;
/** A side's own: it has nearly all of its requests in the set, and the other nearly none. */
const OWN = 0.98;

/** What one set explains. Shares are of the difference; of A where it was chosen by its outcome. */
export interface Row {
  readonly set: RequestSet;
  readonly key: string;
  readonly totals: Totals;
  /** In the outcome's unit, or a share of A; with the range in which it lies 95 times in 100. */
  readonly amount: number;
  readonly range: readonly [number, number];
  readonly behaviour: number;
  readonly mix: number;
  readonly chance: number;
  readonly deviance: number;
  readonly sure: boolean;
  /** Whether it explains nothing of what the first row leaves: its requests are partly the same. */
  readonly along: boolean;
  /** Sets that hold for the same requests. */
  readonly twins: readonly RequestSet[];
  /** Larger sets that explain as much since they contain this one. */
  readonly containedIn: readonly RequestSet[];
  readonly detail: Detail;
}

export interface Contrast {
  readonly enough: boolean;
  readonly totals: Totals;
  /** Mean A less mean B as they are. */
  readonly difference: number;
  /** The part of it that comes of other entries being asked for; the rows are about the rest. */
  readonly mixOfEntries: number;
  /** What the rows explain parts of: the difference between requests of the same entries; 1 where A was chosen by its outcome. */
  readonly toExplain: number;
  /** In which that lies 95 times in 100. */
  readonly toExplainRange: readonly [number, number];
  readonly rows: readonly Row[];
  /** Rows that may be nothing. */
  readonly maybe: readonly Row[];
  readonly ruledOut: readonly RuledOut[];
  /** Sets that are all of one side and nothing of the other: a finished roll-out cannot be told from the side itself. */
  readonly coincides: readonly RequestSet[];
  /** How many sets were looked at. */
  readonly looked: number;
}

const NOTHING: Omit<Contrast, 'totals' | 'difference'> = {
  enough: false,
  mixOfEntries: 0,
  toExplain: 0,
  toExplainRange: [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY],
  rows: [],
  maybe: [],
  ruledOut: [],
  coincides: [],
  looked: 0,
};

export interface ContrastOptions {
  /** Ends the work at the next point at which that is possible. */
  readonly signal?: AbortSignal;
  /** Lets others have their turn, so that whoever ends the work is heard; called between two steps of it. */
  readonly breathe?: () => Promise<unknown>;
  /** What each request is held against: the means of B by entry by default. */
  readonly expected?: Expected;
}

/**
 * What sets the requests of A apart from those of B. The requests are gone through three times: to count values, to sum them up, and to see which
 * of the best sets each belongs to. Memory: the sums, and about 60 bytes a request.
 */
export async function contrast(
  source: ContrastSource,
  kind: Kind,
  { signal, breathe, expected: given }: ContrastOptions = {},
): Promise<Contrast> {
  const turn = async () => {
    await breathe?.();
    signal?.throwIfAborted();
  };
  const entries = new EntryMeans();
  const counts = new FacetCounts();
  await source.scan((block) => {
    entries.add(block);
    counts.add(block);
  });
  await turn();
  const totals = entries.totals;
  const difference = differenceOf(totals);
  if (totals.nA < ENOUGH || totals.nB < ENOUGH) return { ...NOTHING, totals, difference };
  // What was chosen by its outcome is counted, not held against what is usual at its entry.
  const expected = given ?? (kind.byOutcome ? AS_THEY_ARE : entries.expected(kind.outcome === 'failures'));
  const { slots, count } = counts.slots();
  const sums = new FacetSums(slots, count, expected);
  await source.scan((block) => sums.add(block));
  await turn();

  const all = sums.all();
  const found = candidates(sums, kind);
  await turn();
  const best = found
    .filter(({ judged }) => judged.explained.value > 0)
    .sort((a, b) => b.judged.deviance - a.judged.deviance)
    .slice(0, MOST_ATOMS);
  const table = await readTable(
    source,
    entries.requests,
    best.map(({ set }) => set),
    expected,
  );
  await turn();
  const atoms = withoutTwins(best, table, (facet) => (counts.facets.get(facetKey(facet))?.values.size ?? 0) > 1);
  const { pairs, tried } = pairsOf(atoms.slice(0, MOST_PAIRED), table, kind, all);
  await turn();
  // The parts of a pair are the best of all sets that were looked at, by the counts that say how sure it is: it is one of all the pairs that could
  // have been made. Where A was not chosen by its outcome, sums say it, with errors that are wide for few requests: nothing is claimed there as it is.
  const ofPairs = kind.byOutcome ? Math.max(1, (found.length * (found.length - 1)) / 2 / Math.max(1, tried)) : 1;
  const sets = [...atoms, ...pairs].map((it) => {
    // It can only make them less sure.
    if (it.judged.chance > CHANCE_RATE) return it;
    const inflation = table.inflationOf(it.members);
    const judged = inflation > 1 ? judge(all, it.sums, kind, { inflation, half: it.half }) : it.judged;
    return { ...it, judged: { ...judged, chance: Math.min(1, judged.chance * (it.set.length > 1 ? ofPairs : 1)) } };
  });
  await turn();
  // All that were looked at count, whichever are shown; pairs that are not needed as if they had shown nothing.
  const atomSets = new Set(best.map(({ set }) => set));
  const rest = found.filter(({ set }) => !atomSets.has(set)).map(({ judged }) => judged.chance);
  const others = new Array<number>(tried - pairs.length).fill(1);
  const bound = boundOfFindings([...rest, ...others, ...sets.map(({ judged }) => judged.chance)], CHANCE_RATE);

  const whole = jackknife(all, all, (of) => differenceOf(of));
  const toExplain = kind.byOutcome ? 1 : whole.value;
  const scale = Math.max(Math.abs(toExplain), ...sets.map(({ judged }) => Math.abs(judged.explained.value)));
  const isSure = ({ judged }: Found) => judged.chance <= bound && judged.explained.value >= LEAST_SHARE * scale;
  const sorted = [...sets].sort((a, b) => b.judged.deviance - a.judged.deviance);
  const arrangedRows = arranged(sorted.filter(isSure), table, scale);
  // What explains nothing of what the first row leaves goes along with it: a pair says nothing of its own then, what contains it stands under it.
  const [leading] = arrangedRows;
  const isBeside = ({ explained, chance }: Judged) => explained.value >= BESIDE * scale && chance <= CHANCE_RATE;
  const beside = arrangedRows.filter(({ of }) => of === leading.of || isBeside(besideOf(of, leading.of, table, kind, all)));
  const along = arrangedRows.filter((it) => !beside.includes(it) && it.of.set.length === 1);
  const around = along.filter(({ of }) => isInside(leading.of, of, table));
  leading?.contains.push(...around.flatMap(({ of, contains }) => [of, ...contains]));
  const aside = new Set(along.filter((it) => !around.includes(it)).slice(0, MOST_ALONG));
  const rows = [...beside.slice(0, MOST_ROWS), ...aside];
  const shown = new Set(rows.flatMap(({ of, contains }) => [of, ...contains]));
  const maybe = sorted
    .filter((it) => !shown.has(it) && !isSure(it) && it.members.length === 1)
    .filter(({ judged }) => judged.explained.value >= WORTH_A_LOOK * scale && judged.chance <= 0.05)
    .filter((it) => !leading || besideOf(it, leading.of, table, kind, all).explained.value >= BESIDE * scale)
    .slice(0, MOST_MAYBE);
  await turn();
  const row = (it: Arranged): Row => describe(it, table, kind, { sure: isSure(it.of), along: aside.has(it) });
  return {
    enough: true,
    totals,
    difference,
    mixOfEntries: kind.byOutcome ? 0 : entries.mixOfEntries(),
    toExplain,
    toExplainRange: kind.byOutcome ? [1, 1] : interval(whole),
    rows: rows.map(row),
    maybe: maybe.map((of) => row({ of, contains: [] })),
    ruledOut: await ruledOut(source, kind, expected, { sums, leading: leading?.of, scale, totals }),
    coincides: coinciding(found, totals, kind),
    looked: found.length + tried,
  };
}

/** Of sets that say the same, the plainest one. */
function withoutTwins(best: readonly Candidate[], table: RequestTable, isVaried: (facet: Facet) => boolean): Found[] {
  const shared = table.shared();
  const groups: number[][] = [];
  for (const [at] of best.entries()) {
    const group = groups.find(([first]) => jaccard(shared, first, at) >= TWINS);
    if (group) group.push(at);
    else groups.push([at]);
  }
  return groups.map((group) => {
    const [first, ...others] = group.sort((a, b) => prefer(best[a].set, best[b].set, isVaried) || a - b);
    return { ...best[first], members: [[first]], twins: others.map((at) => best[at].set) };
  });
}

function jaccard(shared: readonly Float64Array[], a: number, b: number): number {
  return shared[a][b] / (shared[a][a] + shared[b][b] - shared[a][b]);
}

interface Arranged {
  readonly of: Found;
  readonly contains: Found[];
}

/** Of sets that explain alike the smallest stands first, those that contain it under it. The order is that of how well each separates. */
function arranged(sorted: readonly Found[], table: RequestTable, scale: number): Arranged[] {
  const contains = (large: Found, small: Found) => isInside(small, large, table);
  const alike = (a: Found, b: Found) => Math.abs(a.judged.explained.value - b.judged.explained.value) <= ALIKE * scale;
  const rows: { of: Found; contains: Found[] }[] = [];
  for (const it of sorted.slice(0, 6 * MOST_ROWS)) {
    const inside = rows.find((row) => alike(row.of, it) && contains(it, row.of));
    if (inside) {
      inside.contains.push(it);
      continue;
    }
    const around = rows.find(
      (row) => alike(row.of, it) && contains(row.of, it) && it.judged.deviance >= 0.9 * row.of.judged.deviance,
    );
    if (around) {
      around.contains.unshift(around.of);
      around.of = it;
      continue;
    }
    // Part of a pair that stands there already says less of the same.
    if (it.set.length > 1 && rows.some((row) => contains(row.of, it))) continue;
    rows.push({ of: it, contains: [] });
  }
  return rows;
}

/** Whether a smaller set lies in a larger one, but for next to nothing. */
function isInside(small: Found, large: Found, table: RequestTable): boolean {
  const size = ({ judged: { totals } }: Found) => totals.nA + totals.nB;
  if (size(small) >= size(large)) return false;
  let shared = 0;
  table.eachOf([...large.members, ...small.members], (at) => {
    shared += table.weight[at];
  });
  return shared >= CONTAINS * size(small);
}

function describe(
  { of, contains }: Arranged,
  table: RequestTable,
  kind: Kind,
  { sure, along }: Pick<Row, 'sure' | 'along'>,
): Row {
  const { set, judged, twins, members } = of;
  const { explained, split, chance, deviance, totals } = judged;
  return {
    set,
    key: setKey(set),
    totals,
    amount: explained.value,
    range: interval(explained),
    behaviour: split.behaviour,
    mix: split.mix,
    chance,
    deviance,
    sure,
    along,
    twins,
    containedIn: contains.map((it) => it.set),
    detail: detailOf(table, members, kind),
  };
}

/** What a set explains of the requests that another one leaves. */
function besideOf(of: Found, other: Found, table: RequestTable, kind: Kind, all: SetSums): Judged {
  const shared = table.sumsOf([...of.members, ...other.members]);
  return judge(minusSums(all, other.sums), minusSums(of.sums, shared), kind);
}

function coinciding(found: readonly Candidate[], { nA, nB }: Totals, { byOutcome }: Kind): RequestSet[] {
  if (byOutcome) return [];
  return found.filter(({ judged: { totals } }) => totals.nA >= OWN * nA && totals.nB <= (1 - OWN) * nB).map(({ set }) => set);
}
