import type { ContrastAnswer, ContrastRow, ContrastSet } from '../../api/contrast/contrast.ts';

/** What a row explains: of the whole, and of what is left after what was peeled off. */
export interface Part {
  readonly amount: number;
  readonly range: readonly [number, number];
  readonly behaviour: number;
  readonly mix: number;
  readonly requests: { readonly a: number; readonly b: number };
}

/** A line of the table. */
export interface Line {
  readonly key: string;
  readonly set: ContrastSet;
  readonly row: ContrastRow | undefined;
  readonly ofWhole: Part | undefined;
  readonly ofLeft: Part | undefined;
  readonly state: 'peeled' | 'sure' | 'along' | 'maybe';
}

/** The lines of the table: what is peeled off first, then what explains what is left, then what explained the whole. */
export function linesOf(whole: ContrastAnswer, left: ContrastAnswer | undefined, peel: readonly string[]): Line[] {
  const all = [...whole.rows, ...whole.maybe];
  if (peel.length === 0)
    return all.map((row) => ({
      key: row.key,
      set: row,
      row,
      ofWhole: row,
      ofLeft: undefined,
      state: stateOf(row),
    }));
  const known = new Map([...all, ...(left ? [...left.rows, ...left.maybe] : [])].map((row) => [row.key, row]));
  const peeled = peel.flatMap((key): Line[] => {
    const row = known.get(key);
    const layer = left?.stack.find((it) => it.key === key);
    const set = row ?? layer;
    const ofWhole = all.find((it) => it.key === key) ?? layer;
    return set ? [{ key, set, row, ofWhole, ofLeft: undefined, state: 'peeled' }] : [];
  });
  const fresh = (left ? [...left.rows, ...left.maybe] : [])
    .filter(({ key }) => !peel.includes(key))
    .map((row): Line => {
      const before = all.find((it) => it.key === row.key) ?? row.ofWhole ?? undefined;
      return {
        key: row.key,
        set: row,
        row: all.find((it) => it.key === row.key) ?? row,
        ofWhole: before,
        ofLeft: row,
        state: stateOf(row),
      };
    });
  const taken = new Set([...peel, ...fresh.map(({ key }) => key)]);
  const others = all
    .filter(({ key }) => !taken.has(key))
    .map((row): Line => {
      const also = left?.also.find(({ key }) => key === row.key);
      return { key: row.key, set: row, row, ofWhole: row, ofLeft: also, state: 'maybe' };
    });
  return [...peeled, ...fresh, ...others];
}

function stateOf({ sure, along }: ContrastRow): Line['state'] {
  return along ? 'along' : sure ? 'sure' : 'maybe';
}
