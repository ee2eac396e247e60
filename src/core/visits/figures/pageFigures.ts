import { type CodeColumn, type Codes, codesOf } from '../../columns/segment.ts';
import { PHASES, type Phase } from '../loadPhases.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { SIGNS, type SignKind } from '../struggle.ts';
import type { Facet } from '../visitColumns.ts';
import { readyMsAt } from './facetFigures.ts';
import { ValueCounts } from './valueCounts.ts';
import { VITAL_NAMES, type Vital } from './vitals.ts';

/** Pages that are told apart; the rest, those seen least, are counted as a whole only. */
const MOST_PAGES = 100;
/** Pages that are counted apart until it is known which are seen most: each takes some ten kilobytes for each of its measures. */
const MOST_COUNTED = 300;
/** Third parties with their scripts that are told apart. */
const MOST_PARTIES = 60;

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

/** One window of views. */
export interface PageSide {
  readonly whole: PageSum;
  readonly pages: ReadonlyMap<string, PageSum>;
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
    const begin = codesOf(slot.visits, 'at').values;
    const lasted = codesOf(slot.visits, 'lasted').values;
    for (let place = 0; place < rows.length; place++) {
      const row = rows[place];
      const sum = sums[page.values[row] - 1] ?? rest;
      const targetMs = targets[page.values[row] - 1] ?? targetOf('');
      const readyMs = readyMsAt(ready, row);
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
    }
    for (const name of VITAL_NAMES) addVital(name, codesOf(views, name).values, rows, page.values, sums, rest);
  }
  for (const [name, { views }] of pages) if (views === 0) pages.delete(name);
  const whole = new PageSum();
  for (const sum of [rest, ...pages.values()]) whole.merge(sum);
  const seenMost = [...pages].sort((a, b) => b[1].views - a[1].views).slice(0, MOST_PAGES);
  return { whole, pages: new Map(seenMost), rows: rowsOf };
}

/** Adds the values of one vital, each to the page of its view. @param pages codes of the pages, by view */
function addVital(
  name: Vital,
  values: Codes,
  rows: Uint32Array,
  pages: Codes,
  sums: readonly (PageSum | undefined)[],
  rest: PageSum,
): void {
  const counts: (ValueCounts | undefined)[] = [];
  for (let place = 0; place < rows.length; place++) {
    const row = rows[place];
    if (values[row] === 0) continue;
    const code = pages[row];
    let own = counts[code];
    if (!own) {
      const { vitals } = sums[code - 1] ?? rest;
      own = vitals[name] ??= new ValueCounts();
      counts[code] = own;
    }
    own.add(values[row] - 1);
  }
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
    else if (this.#parties.size < MOST_PARTIES) this.#parties.set(key, { party, script, us });
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
    const rows = viewRows(slot, scope);
    for (let place = 0; place < rows.length; place++) {
      const row = rows[place];
      const into = own[column.values[visit[row]]];
      if (!into || ready[row] === 0) continue;
      const bin = Math.floor((slot.fromMs + begin[visit[row]] + at[row] - scope.fromMs) / width);
      into[bin] ??= new ValueCounts();
      into[bin].add(Math.round((ready[row] - 1) / 1_000));
    }
  }
  return new Map([...counts].map(([value, of]) => [value, of.map((it) => it?.quantile(0.75) ?? Number.NaN)]));
}
