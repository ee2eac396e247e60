import { type CodeColumn, codesOf } from '../../columns/segment.ts';
import { explainedOf, type Totals } from '../../contrast/explained.ts';
import { PHASES, type Phase } from '../loadPhases.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { SIGNS, type SignKind } from '../struggle.ts';
import { FACETS, type Facet } from '../visitColumns.ts';
import { ValueCounts } from './valueCounts.ts';
import { VITAL_NAMES, type Vital } from './vitals.ts';

/** Pages that are told apart; the rest, those seen least, are counted as a whole only. */
const MOST_PAGES = 100;
/** Pages that are counted apart until it is known which are seen most: each takes some ten kilobytes for each of its measures. */
const MOST_COUNTED = 300;
/** Values of a facet that are told apart while they are counted. */
const MOST_VALUES = 60;

/** What the views of one page, or of all, were like. */
export class PageSum {
  views = 0;
  readonly ready = new ValueCounts();
  readonly vitals: Partial<Record<Vital, ValueCounts>> = {};
  satisfied = 0;
  tolerated = 0;
  left = 0;
  /** Views with an error or crash. */
  errors = 0;
  readonly signs: Record<SignKind, number> = { knocking: 0, 'no answer': 0, 'turned away': 0 };

  merge(other: PageSum): void {
    this.views += other.views;
    this.ready.merge(other.ready);
    for (const name of VITAL_NAMES) {
      const counts = other.vitals[name];
      if (!counts) continue;
      this.vitals[name] ??= new ValueCounts();
      this.vitals[name].merge(counts);
    }
    this.satisfied += other.satisfied;
    this.tolerated += other.tolerated;
    this.left += other.left;
    this.errors += other.errors;
    for (const sign of SIGNS) this.signs[sign] += other.signs[sign];
  }
}

/** Where the time of loads went that took about as long as the third quartile. */
export interface Band {
  /** How many loads. */
  readonly loads: number;
  /** Microseconds in the mean; they add up to `readyUs`. */
  readonly phases: Readonly<Record<Phase, number>>;
  readonly readyUs: number;
  readonly party: string;
  readonly script: string;
  /** Of the third parties, what that one took. */
  readonly partyUs: number;
}

/** What is counted of a value of a facet. */
interface ValueSum {
  views: number;
  /** Views with a load time, their sum in milliseconds, and the times. */
  readonly ready: ValueCounts;
  /** Epoch milliseconds of its first view in the window. */
  firstMs: number;
}

/** One window of views. */
export interface PageSide {
  readonly whole: PageSum;
  readonly pages: ReadonlyMap<string, PageSum>;
  readonly facets: Readonly<Record<Facet, ReadonlyMap<string, ValueSum>>>;
  /** Which views of each slot it is of. */
  readonly rows: readonly Uint32Array[];
}

/** What satisfies, for Apdex, in milliseconds: of all pages, or of each. */
export type Target = number | ((page: string) => number);

export function pageSide(slots: readonly NarrowedSlot[], scope: VisitScope, target: Target): PageSide {
  const targetOf = typeof target === 'number' ? () => target : target;
  const settled = scope.settledBeforeMs ?? Number.POSITIVE_INFINITY;
  const rowsOf: Uint32Array[] = [];
  const rest = new PageSum();
  const pages = new Map<string, PageSum>();
  const facets = Object.fromEntries(FACETS.map((facet) => [facet, new Map<string, ValueSum>()])) as Record<
    Facet,
    Map<string, ValueSum>
  >;
  for (const slot of slots) {
    const rows = viewRows(slot, scope);
    rowsOf.push(rows);
    const { views } = slot;
    const page = codesOf(views, 'page');
    const sums = page.texts.map((name) => sumOf(pages, name, () => new PageSum(), MOST_COUNTED));
    const targets = page.texts.map(targetOf);
    const ready = codesOf(views, 'ready').values;
    const visit = codesOf(views, 'visit').values;
    const last = codesOf(views, 'last').values;
    const errors = codesOf(views, 'errors').values;
    const [knocking, unanswered, turned] = SIGNS.map((name) => codesOf(views, name).values);
    const vitals = VITAL_NAMES.map((name) => codesOf(views, name).values);
    const values = FACETS.map((facet) => {
      const column = codesOf(slot.visits, facet);
      const known = ['', ...column.texts].map((text) => sumOf(facets[facet], text, newValue, MOST_VALUES));
      return { codes: column.values, known };
    });
    const at = codesOf(views, 'at').values;
    const begin = codesOf(slot.visits, 'at').values;
    const lasted = codesOf(slot.visits, 'lasted').values;
    for (let place = 0; place < rows.length; place++) {
      const row = rows[place];
      const sum = sums[page.values[row] - 1] ?? rest;
      const targetMs = targets[page.values[row] - 1] ?? targetOf('');
      const readyMs = ready[row] > 0 ? Math.round((ready[row] - 1) / 1_000) : -1;
      sum.views++;
      if (readyMs >= 0) {
        sum.ready.add(readyMs);
        if (readyMs <= targetMs) sum.satisfied++;
        else if (readyMs <= 4 * targetMs) sum.tolerated++;
      }
      if (last[row] && slot.fromMs + begin[visit[row]] + lasted[visit[row]] < settled) sum.left++;
      if (errors[row] > 0) sum.errors++;
      if (knocking[row]) sum.signs.knocking += knocking[row];
      if (unanswered[row]) sum.signs['no answer'] += unanswered[row];
      if (turned[row]) sum.signs['turned away'] += turned[row];
      for (let vital = 0; vital < vitals.length; vital++) {
        const value = vitals[vital][row];
        if (value === 0) continue;
        const name = VITAL_NAMES[vital];
        sum.vitals[name] ??= new ValueCounts();
        sum.vitals[name].add(value - 1);
      }
      for (let facet = 0; facet < values.length; facet++) {
        const value = values[facet].known[values[facet].codes[visit[row]]];
        if (!value) continue;
        value.views++;
        if (readyMs >= 0) value.ready.add(readyMs);
        const time = slot.fromMs + begin[visit[row]] + at[row];
        if (time < value.firstMs) value.firstMs = time;
      }
    }
  }
  for (const map of [pages, ...Object.values(facets)]) for (const [name, { views }] of map) if (views === 0) map.delete(name);
  const whole = new PageSum();
  for (const sum of [rest, ...pages.values()]) whole.merge(sum);
  const seenMost = [...pages].sort((a, b) => b[1].views - a[1].views).slice(0, MOST_PAGES);
  return { whole, pages: new Map(seenMost), facets, rows: rowsOf };
}

function newValue(): ValueSum {
  return { views: 0, ready: new ValueCounts(), firstMs: Number.POSITIVE_INFINITY };
}

function sumOf<Sum>(known: Map<string, Sum>, name: string, make: () => Sum, most: number): Sum | undefined {
  let it = known.get(name);
  if (!it && known.size < most) {
    it = make();
    known.set(name, it);
  }
  return it;
}

/** Rows of views that began in the window, of visits that fulfil the conditions. A condition on the page is on the view's own. */
export function viewRows({ fromMs, visits, views, passes }: NarrowedSlot, scope: VisitScope): Uint32Array {
  const visit = codesOf(views, 'visit').values;
  const at = codesOf(views, 'at').values;
  const begin = codesOf(visits, 'at').values;
  const page = codesOf(views, 'page');
  const isPage = scope.conditions.filter(({ field }) => field === 'page').map(({ values, not }) => pageTest(page, values, not));
  const [first, end] = [scope.fromMs - fromMs, scope.toMs - fromMs];
  const rows = new Uint32Array(views.rows);
  let count = 0;
  for (let row = 0; row < views.rows; row++) {
    const time = begin[visit[row]] + at[row];
    if (!passes[visit[row]] || time < first || time >= end) continue;
    if (isPage.length === 0 || isPage.every((test) => test(row))) rows[count++] = row;
  }
  return rows.subarray(0, count);
}

function pageTest({ values, texts }: CodeColumn, wanted: readonly string[], not: boolean): (row: number) => boolean {
  const isWanted = ['', ...texts].map((it) => wanted.includes(it) !== not);
  return (row) => isWanted[values[row]];
}

/** Shares of loads, by their time until ready, that stand for the third quartile. */
const BAND = [0.7, 0.8] as const;

/**
 * Where the time of loads between the 70th and the 80th percentile of being ready went: what is behind the third quartile, and adds up.
 *
 * @param side of the same slots
 */
export function bands(slots: readonly NarrowedSlot[], side: PageSide): { whole: Band; pages: Map<string, Band> } {
  const whole = new BandSum(side.whole.ready);
  const pages = new Map([...side.pages].map(([name, { ready }]) => [name, new BandSum(ready)]));
  for (const [place, { views }] of slots.entries()) {
    const page = codesOf(views, 'page');
    const own = page.texts.map((name) => pages.get(name));
    const ready = codesOf(views, 'ready').values;
    const phases = PHASES.map((name) => codesOf(views, name).values);
    const party = codesOf(views, 'party');
    const script = codesOf(views, 'script');
    const rows = side.rows[place];
    for (let at = 0; at < rows.length; at++) {
      const row = rows[at];
      if (ready[row] === 0) continue;
      const readyMs = Math.round((ready[row] - 1) / 1_000);
      for (let which = 0; which < 2; which++) {
        const sum = which === 0 ? whole : own[page.values[row] - 1];
        if (!sum?.holds(readyMs)) continue;
        sum.loads++;
        sum.readyUs += ready[row] - 1;
        for (let phase = 0; phase < PHASES.length; phase++) sum.phases[phase] += phases[phase][row];
        if (party.values[row] > 0)
          sum.addParty(party.texts[party.values[row] - 1], script.texts[script.values[row] - 1] ?? '', phases[THIRD][row]);
      }
    }
  }
  return { whole: whole.finish(), pages: new Map([...pages].map(([name, it]) => [name, it.finish()])) };
}

const THIRD = PHASES.indexOf('third');

class BandSum {
  readonly #low: number;
  readonly #high: number;
  loads = 0;
  readyUs = 0;
  readonly phases = PHASES.map(() => 0);
  readonly #parties = new Map<string, { party: string; script: string; us: number }>();

  constructor(ready: ValueCounts) {
    this.#low = ready.quantile(BAND[0]);
    this.#high = ready.quantile(BAND[1]);
  }

  holds(readyMs: number): boolean {
    // A quantile above the exact bins is the middle of its bin.
    return readyMs >= this.#low * 0.994 && readyMs <= this.#high * 1.006;
  }

  addParty(party: string, script: string, us: number): void {
    const key = `${party}\0${script}`;
    const it = this.#parties.get(key);
    if (it) it.us += us;
    else if (this.#parties.size < MOST_VALUES) this.#parties.set(key, { party, script, us });
  }

  finish(): Band {
    const by = Math.max(1, this.loads);
    const most = [...this.#parties.values()].sort((a, b) => b.us - a.us)[0];
    return {
      loads: this.loads,
      readyUs: this.readyUs / by,
      phases: Object.fromEntries(PHASES.map((name, at) => [name, this.phases[at] / by])) as Record<Phase, number>,
      party: most?.party ?? '',
      script: most?.script ?? '',
      partyUs: (most?.us ?? 0) / by,
    };
  }
}

/** A value of a facet in both windows. */
export interface FacetValue {
  readonly value: string;
  readonly lit: number;
  readonly before: number;
  /** Third quartile of the time until ready, milliseconds; NaN of none. */
  readonly litP75: number;
  readonly beforeP75: number;
  /** What it explains of the difference of the means: 1 is all of it. */
  readonly explains: number;
  readonly firstMs: number;
}

/** The values of a facet, those seen most first, with what each explains of what pages take longer. */
export function facetValues(facet: Facet, lit: PageSide, before: PageSide): FacetValue[] {
  const all = totals(lit.whole.ready, before.whole.ready);
  const difference = all.sumA / all.nA - all.sumB / all.nB;
  const names = new Set([...lit.facets[facet].keys(), ...before.facets[facet].keys()]);
  return [...names]
    .map((value) => {
      const [now, then] = [lit.facets[facet].get(value), before.facets[facet].get(value)];
      const whole = now || then ? explainedOf(all, totals(now?.ready, then?.ready)).whole : 0;
      return {
        value,
        lit: now?.views ?? 0,
        before: then?.views ?? 0,
        litP75: now?.ready.quantile(0.75) ?? Number.NaN,
        beforeP75: then?.ready.quantile(0.75) ?? Number.NaN,
        explains: difference !== 0 && Number.isFinite(difference) ? whole / difference : 0,
        firstMs: now?.firstMs ?? Number.NaN,
      };
    })
    .sort((a, b) => b.lit - a.lit || b.before - a.before);
}

function totals(lit: ValueCounts | undefined, before: ValueCounts | undefined): Totals {
  return { nA: lit?.total ?? 0, nB: before?.total ?? 0, sumA: lit?.sum ?? 0, sumB: before?.sum ?? 0 };
}

/** The third quartile of the time until ready over time, value by value of a facet. NaN where no page was loaded. */
export function readyOverTime(
  slots: readonly NarrowedSlot[],
  scope: VisitScope,
  facet: Facet,
  values: readonly string[],
  bins: number,
): Map<string, number[]> {
  const counts = new Map(values.map((it) => [it, Array.from({ length: bins }, () => undefined as ValueCounts | undefined)]));
  const width = (scope.toMs - scope.fromMs) / bins;
  for (const slot of slots) {
    const column = codesOf(slot.visits, facet);
    const own = ['', ...column.texts].map((it) => counts.get(it));
    const { views } = slot;
    const [visit, at, ready] = ['visit', 'at', 'ready'].map((name) => codesOf(views, name).values);
    const begin = codesOf(slot.visits, 'at').values;
    for (const row of viewRows(slot, scope)) {
      const into = own[column.values[visit[row]]];
      if (!into || ready[row] === 0) continue;
      const bin = Math.floor((slot.fromMs + begin[visit[row]] + at[row] - scope.fromMs) / width);
      into[bin] ??= new ValueCounts();
      into[bin].add(Math.round((ready[row] - 1) / 1_000));
    }
  }
  return new Map([...counts].map(([value, of]) => [value, of.map((it) => it?.quantile(0.75) ?? Number.NaN)]));
}
