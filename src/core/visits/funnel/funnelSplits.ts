import { codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot } from '../slotVisits.ts';
import { FACETS } from '../visitColumns.ts';
import type { passages } from './funnel.ts';

type Grouped = ReturnType<typeof passages>;

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
  const alone = namesIn(sides.lit.slots)
    .map((name) => splitBy(sides, step, [name]))
    .filter(({ values }) => values.length > 1);
  const names = alone.map(({ facets: [name] }) => name);
  const pairs = names.flatMap((a, at) => names.slice(at + 1).map((b) => [a, b])).slice(0, MOST_PAIRS);
  return ranked([...alone, ...pairs.map((facets) => splitBy(sides, step, facets))]);
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
  readonly passages: Grouped;
}

function namesIn(slots: readonly NarrowedSlot[]): string[] {
  const facets = FACETS.filter((facet) => facet !== 'app' && slots.some(({ visits }) => visits.column(facet) !== undefined));
  const further = new Set<string>();
  for (const { visits } of slots)
    for (const text of listsOf(visits, 'more').texts) if (further.size < MOST_FURTHER) further.add(text.split('\0')[0]);
  return [...facets, ...further];
}

/** The value of a facet, or of any further fact, by slot and row of a visit; empty where it is not reported. */
export function factReader(slots: readonly NarrowedSlot[], name: string): (slot: number, row: number) => string {
  if ((FACETS as readonly string[]).includes(name)) {
    const columns = slots.map(({ visits }) => codesOf(visits, name));
    return (slot, row) => columns[slot].texts[columns[slot].values[row] - 1] ?? '';
  }
  const lists = slots.map(({ visits }) => listsOf(visits, 'more'));
  const prefix = `${name}\0`;
  return (slot, row) => {
    const { offsets, items, texts } = lists[slot];
    for (let at = offsets[row]; at < offsets[row + 1]; at++)
      if (texts[items[at]].startsWith(prefix)) return texts[items[at]].slice(prefix.length);
    return '';
  };
}

function splitBy({ lit, before }: { readonly lit: Side; readonly before: Side }, step: number, facets: readonly string[]): Split {
  const groups = new Map<string, { values: readonly string[]; lit: Counts; before: Counts }>();
  for (const [side, name] of [
    [lit, 'lit'],
    [before, 'before'],
  ] as const) {
    const read = facets.map((facet) => factReader(side.slots, facet));
    for (const { passage, slot, row } of side.passages) {
      if (passage.reached <= step) continue;
      const values = read.map((of) => of(slot, row));
      const key = values.join('\0');
      let group = groups.get(key);
      if (!group) {
        if (groups.size >= MOST_VALUES) continue;
        group = { values, lit: { reached: 0, wentOn: 0 }, before: { reached: 0, wentOn: 0 } };
        groups.set(key, group);
      }
      group[name].reached++;
      if (passage.reached > step + 1) group[name].wentOn++;
    }
  }
  const all = [...groups.values()];
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
