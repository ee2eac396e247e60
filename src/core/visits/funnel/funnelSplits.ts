import { KeyNumbers } from '../../columns/keyNumbers.ts';
import { codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot } from '../slotVisits.ts';
import { FACETS } from '../visitColumns.ts';
import type { Passages } from './passages.ts';

/** How many of a group reached a step and went on, in both windows. */
export interface SplitValue {
  readonly values: readonly string[];
  readonly lit: { readonly reached: number; readonly wentOn: number };
  readonly before: { readonly reached: number; readonly wentOn: number };
}

/** What a choice of facets says about who leaves at a step. */
export interface Split {
  readonly facets: readonly string[];
  /** Of the leavers above what the rest would have: the share that one group accounts for. Between 0 and 1. */
  readonly explains: number;
  /** The group that explains it. */
  readonly group: readonly string[];
  /** The most frequent first. */
  readonly values: readonly SplitValue[];
}

const MOST_VALUES = 60;
/** A group of fewer is not said to explain anything. */
const LEAST = 10;
const MOST_FURTHER = 6;
const MOST_PAIRS = 40;
/** Shares that differ by less explain alike. */
const ALIKE = 0.05;

/**
 * By which facets, alone or two together, those differ who leave at a step, the one that explains most first. Explained is what of the
 * leavers beyond those of before would not have left if one group had left like all others.
 *
 * @param step index of the step that is left
 */
export function splits(sides: { readonly lit: Side; readonly before: Side }, step: number): Split[] {
  const reached = { lit: reaching(sides.lit, step), before: reaching(sides.before, step) };
  const facts = namesIn(sides.lit.slots).map((name) => factOf(sides, reached, name));
  const kinds = kindsOf(reached, facts);
  const alone = facts.map((_, at) => ({ at, split: splitBy(kinds, facts, [at]) })).filter(({ split }) => split.values.length > 1);
  const pairs = alone.flatMap(({ at: a }, place) => alone.slice(place + 1).map(({ at: b }) => [a, b])).slice(0, MOST_PAIRS);
  return ranked([...alone.map(({ split }) => split), ...pairs.map((both) => splitBy(kinds, facts, both))]);
}

/** What explains most first; of those that explain alike the one with the smallest group, since every larger one contains it. */
function ranked(splits: readonly Split[]): Split[] {
  const most = Math.max(0, ...splits.map(({ explains }) => explains));
  const sizeOf = ({ values, group }: Split) =>
    values.find((it) => it.values.join('\0') === group.join('\0'))?.lit.reached ?? Number.POSITIVE_INFINITY;
  const isAlike = ({ explains }: Split) => explains > 0 && explains >= most - ALIKE;
  const alike = splits.filter(isAlike).sort((a, b) => sizeOf(a) - sizeOf(b) || a.facets.length - b.facets.length);
  const rest = splits.filter((it) => !isAlike(it)).sort((a, b) => b.explains - a.explains || a.facets.length - b.facets.length);
  return [...alike, ...rest];
}

interface Side {
  readonly slots: readonly NarrowedSlot[];
  readonly passages: Passages;
}

function namesIn(slots: readonly NarrowedSlot[]): string[] {
  const facets = FACETS.filter((facet) => facet !== 'app' && slots.some(({ visits }) => visits.column(facet) !== undefined));
  const further = new Set<string>();
  for (const { visits } of slots)
    for (const text of listsOf(visits, 'more').texts) if (further.size < MOST_FURTHER) further.add(text.split('\0')[0]);
  return [...facets, ...further];
}

/** The values of a fact in a slot. */
interface FactCodes {
  /** Codes are below it. */
  readonly end: number;
  readonly code: (row: number) => number;
  readonly text: (code: number) => string;
}

/** By slot: the code of a facet, or of any further fact, by the row of a visit, and its text; empty where it is not reported. */
function codeReader(slots: readonly NarrowedSlot[], name: string): FactCodes[] {
  if ((FACETS as readonly string[]).includes(name))
    return slots.map(({ visits }) => {
      const { values, texts } = codesOf(visits, name);
      return { end: texts.length + 1, code: (row) => values[row], text: (code) => texts[code - 1] ?? '' };
    });
  const prefix = `${name}\0`;
  return slots.map(({ visits }) => {
    const { offsets, items, texts } = listsOf(visits, 'more');
    const isOfIt = Uint8Array.from(texts, (text) => (text.startsWith(prefix) ? 1 : 0));
    return {
      end: texts.length + 1,
      code: (row) => {
        for (let at = offsets[row]; at < offsets[row + 1]; at++) if (isOfIt[items[at]]) return items[at] + 1;
        return 0;
      },
      text: (code) => texts[code - 1]?.slice(prefix.length) ?? '',
    };
  });
}

/** Whether a visit, by its slot and row, has such a value of a facet or further fact; an empty one is that of visits which report none. */
export function factTest(slots: readonly NarrowedSlot[], name: string, value: string): (slot: number, row: number) => boolean {
  const readers = codeReader(slots, name);
  /** By code: whether it is the value; 0 until it was compared. */
  const known = readers.map(({ end }) => new Int8Array(end));
  return (slot, row) => {
    const code = readers[slot].code(row);
    if (known[slot][code] === 0) known[slot][code] = readers[slot].text(code) === value ? 1 : -1;
    return known[slot][code] === 1;
  };
}

/** The passages that reached the step: where each visit stands, and whether it went on. */
interface Reaching {
  readonly slots: Uint32Array;
  readonly rows: Uint32Array;
  readonly wentOn: Uint8Array;
}

function reaching({ passages }: Side, step: number): Reaching {
  const [slots, rows] = [new Uint32Array(passages.count), new Uint32Array(passages.count)];
  const wentOn = new Uint8Array(passages.count);
  let count = 0;
  for (let at = 0; at < passages.count; at++) {
    if (passages.reached[at] <= step) continue;
    slots[count] = passages.slots[at];
    rows[count] = passages.rows[at];
    wentOn[count++] = passages.reached[at] > step + 1 ? 1 : 0;
  }
  return { slots: slots.subarray(0, count), rows: rows.subarray(0, count), wentOn: wentOn.subarray(0, count) };
}

/** A facet or further fact of the visits that reached the step: by visit the place of its value, -1 beyond so many values. */
interface Fact {
  readonly name: string;
  readonly values: readonly string[];
  readonly lit: Int8Array;
  readonly before: Int8Array;
}

const NOT_LOOKED_UP = -2;

/** Texts are compared once for each slot and value: a million visits are split by forty pairs of facts. */
function factOf(
  sides: { readonly lit: Side; readonly before: Side },
  reached: { readonly lit: Reaching; readonly before: Reaching },
  name: string,
): Fact {
  const places = new Map<string, number>();
  const placeOf = (value: string) => {
    let place = places.get(value);
    if (place === undefined) {
      // Who comes after so many values is in none of as many groups, which are those that come first.
      if (places.size >= MOST_VALUES) return -1;
      place = places.size;
      places.set(value, place);
    }
    return place;
  };
  const [lit, before] = (['lit', 'before'] as const).map((side) => {
    const { slots, rows } = reached[side];
    const codeOf = codeReader(sides[side].slots, name);
    const known = codeOf.map(({ end }) => new Int8Array(end).fill(NOT_LOOKED_UP));
    const found = new Int8Array(rows.length);
    for (let at = 0; at < rows.length; at++) {
      const { code, text } = codeOf[slots[at]];
      const places = known[slots[at]];
      const own = code(rows[at]);
      if (places[own] === NOT_LOOKED_UP) places[own] = placeOf(text(own));
      found[at] = places[own];
    }
    return found;
  });
  return { name, values: [...places.keys()], lit, before };
}

/**
 * Visits that are alike in all facts are of one kind. The kinds stand in the order in which the first visit of each comes, those of the lit side
 * before the others. In columns: where many facts have many values, there are nearly as many kinds as visits.
 */
interface Kinds {
  readonly count: number;
  /** By fact the place of the value, -1 beyond so many values. */
  readonly places: readonly Int8Array[];
  readonly lit: KindCounts;
  readonly before: KindCounts;
}

interface KindCounts {
  readonly reached: Uint32Array;
  readonly wentOn: Uint32Array;
}

/** A day has a million visits, and mostly some hundred kinds: pairs of facts are counted over the kinds, which takes a fraction of the time. */
function kindsOf(reached: { readonly lit: Reaching; readonly before: Reaching }, facts: readonly Fact[]): Kinds {
  const kindOf = { lit: new Int32Array(reached.lit.rows.length), before: new Int32Array(reached.before.rows.length) };
  let count = 1;
  for (const fact of facts) {
    const numbers = new KeyNumbers(count * (MOST_VALUES + 1));
    for (const side of ['lit', 'before'] as const) {
      const [own, values] = [kindOf[side], fact[side]];
      for (let at = 0; at < own.length; at++) own[at] = numbers.of(own[at] * (MOST_VALUES + 1) + values[at] + 1);
    }
    count = numbers.count;
  }
  const places = facts.map((fact) => {
    const found = new Int8Array(count);
    for (const side of ['lit', 'before'] as const)
      for (let at = 0; at < kindOf[side].length; at++) found[kindOf[side][at]] = fact[side][at];
    return found;
  });
  const countsOf = (side: 'lit' | 'before'): KindCounts => {
    const counts = { reached: new Uint32Array(count), wentOn: new Uint32Array(count) };
    const [own, { wentOn }] = [kindOf[side], reached[side]];
    for (let at = 0; at < own.length; at++) {
      counts.reached[own[at]]++;
      counts.wentOn[own[at]] += wentOn[at];
    }
    return counts;
  };
  return { count, places, lit: countsOf('lit'), before: countsOf('before') };
}

/** @param chosen places of the facts */
function splitBy(kinds: Kinds, all: readonly Fact[], chosen: readonly number[]): Split {
  const facets = chosen.map((at) => all[at].name);
  const columns = chosen.map((at) => kinds.places[at]);
  const groups: { values: readonly string[]; lit: Counts; before: Counts }[] = [];
  /** By the places of the values: 1 + the place of the group. */
  const groupOf = new Int32Array(MOST_VALUES ** chosen.length);
  for (let at = 0; at < kinds.count; at++) {
    let key = 0;
    for (const column of columns) key = column[at] < 0 || key < 0 ? -1 : key * MOST_VALUES + column[at];
    if (key < 0) continue;
    if (groupOf[key] === 0) {
      if (groups.length >= MOST_VALUES) continue;
      const values = chosen.map((fact, index) => all[fact].values[columns[index][at]]);
      groupOf[key] = groups.push({ values, lit: { reached: 0, wentOn: 0 }, before: { reached: 0, wentOn: 0 } });
    }
    const group = groups[groupOf[key] - 1];
    for (const side of ['lit', 'before'] as const) {
      group[side].reached += kinds[side].reached[at];
      group[side].wentOn += kinds[side].wentOn[at];
    }
  }
  return explained(facets, groups);
}

function explained(facets: readonly string[], all: { values: readonly string[]; lit: Counts; before: Counts }[]): Split {
  const total = sumOf(all.map((it) => it.lit));
  const then = sumOf(all.map((it) => it.before));
  const more = leavers(total) - (then.reached > 0 ? (leavers(then) / then.reached) * total.reached : 0);
  let [explains, best] = [0, [] as readonly string[]];
  for (const it of all) {
    const rest = { reached: total.reached - it.lit.reached, wentOn: total.wentOn - it.lit.wentOn };
    if (it.lit.reached < LEAST || rest.reached < LEAST || more <= 0) continue;
    const extra = leavers(it.lit) - (leavers(rest) / rest.reached) * it.lit.reached;
    const share = Math.min(1, extra / more);
    if (share > explains) [explains, best] = [share, it.values];
  }
  return { facets, explains, group: best, values: all.sort((a, b) => b.lit.reached - a.lit.reached) };
}

interface Counts {
  reached: number;
  wentOn: number;
}

function leavers({ reached, wentOn }: Counts): number {
  return reached - wentOn;
}

function sumOf(counts: readonly Counts[]): Counts {
  return counts.reduce((sum, it) => ({ reached: sum.reached + it.reached, wentOn: sum.wentOn + it.wentOn }), {
    reached: 0,
    wentOn: 0,
  });
}
