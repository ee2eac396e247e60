import { describe, expect, it } from 'vitest';
import { isIn, KINDS, plant, sourceOf } from '../../../../tests/support/made/plantedCauses.ts';
import { EntryMeans } from '../expected.ts';
import { type ContrastSource, eachMember, membersOf } from './contrastSource.ts';
import type { RequestSet } from './requestSet.ts';
import { readTable } from './requestTable.ts';

const KIND = KINDS['slower than before'];
const set = (field: string, ...values: readonly string[]): RequestSet => [{ facet: { field, service: null }, values }];
/** More sets than a word has bits. */
const SETS: readonly RequestSet[] = [
  set('ferry.vehicle_class', 'coach'),
  set('ferry.vehicle_class', 'car'),
  set('ferry.channel', 'web'),
  ...Array.from({ length: 24 }, (_, at) => set(`noise.${at}`, 'v0')),
  ...Array.from({ length: 10 }, (_, at) => set(`noise.${at}`, 'v1')),
];

async function made() {
  const planted = plant('value', KIND, 2, 700);
  const entries = new EntryMeans();
  await planted.source.scan((block) => entries.add(block));
  const expected = entries.expected(false);
  return { ...planted, entries, expected, table: await readTable(planted.source, entries.requests, SETS, expected) };
}

describe('a table of requests', () => {
  it('knows who belongs to sets, one at least of each list, by a second look', async () => {
    const { requests, table } = await made();
    for (const members of [[[0]], [[0, 1]], [[0, 1], [2]], [[2], [5], [30]], [[36]], []]) {
      const found: number[] = [];
      table.eachOf(members, (at) => found.push(at));
      const wanted = requests.flatMap((it, at) =>
        members.every((any) => any.some((index) => isIn(it, SETS[index]))) ? [at] : [],
      );
      expect(found).toEqual(wanted);
    }
  });

  it('sums what is held against the mean of B at the same entry', async () => {
    const { requests, table } = await made();
    const mean = (entry: string) => {
      const own = requests.filter((it) => !it.isA && it.entry === entry);
      return own.reduce((sum, it) => sum + it.durationNs, 0) / own.length;
    };
    const wanted = requests
      .filter((it) => it.isA && isIn(it, SETS[0]))
      .reduce((sum, it) => sum + it.durationNs - mean(it.entry), 0);
    const sums = table.sumsOf([[0]]);
    expect(sums.sumA.reduce((all, it) => all + it, 0) / wanted).toBeCloseTo(1, 9);
  });

  it('counts what sets share', async () => {
    const { requests, table } = await made();
    const shared = table.shared();
    for (const [a, b] of [
      [0, 2],
      [3, 33],
      [35, 36],
      [1, 1],
    ])
      expect(shared[a][b]).toBe(requests.filter((it) => isIn(it, SETS[a]) && isIn(it, SETS[b])).length);
  });

  it('says the same of sets of one clause together as of each alone, and of sets of several', async () => {
    const { source } = await made();
    const two: RequestSet = [...SETS[0], ...SETS[2]];
    await source.scan((block) => {
      const told = [...SETS, two].map(() => new Uint8Array(block.count));
      eachMember(block, [...SETS, two], (index, at) => {
        told[index][at] = 1;
      });
      for (const [index, it] of [...SETS, two].entries()) expect(told[index]).toEqual(membersOf(block, it));
    });
  });

  it('counts what weighted requests share by their weights', async () => {
    const { source, expected, entries } = await made();
    const weighted: ContrastSource = {
      scan: (visit) => source.scan((block) => visit({ ...block, weight: block.weight.map((_, at) => 1 + (at % 3)) })),
    };
    const table = await readTable(weighted, entries.requests, SETS, expected);
    const shared = table.shared();
    let both = 0;
    table.eachOf([[0], [2]], (at) => {
      both += table.weight[at];
    });
    expect(both).toBeGreaterThan(0);
    expect([shared[0][2], shared[2][0]]).toEqual([both, both]);
  });

  it('sees that counts vary no more than by chance, and that some do', async () => {
    const { table, requests } = await made();
    expect(table.inflationOf([[2]])).toBeLessThan(1.6);
    // One whole minute in ten belongs to the set.
    const bursts = requests.map((it) => ({ ...it, values: new Map([['in.burst', [it.minute % 10 === 0 ? 'yes' : 'no']]]) }));
    const burst = await readTable(sourceOf(bursts, KIND), bursts.length, [set('in.burst', 'yes')], {
      outcome: () => 0,
      log: () => 0,
    });
    expect(burst.inflationOf([[0]])).toBeGreaterThan(3);
  });
});

it('the difference of the means is that of like requests and that of other entries being asked for', async () => {
  const { requests, entries, table } = await made();
  const mean = (isA: boolean) => {
    const own = requests.filter((it) => it.isA === isA);
    return own.reduce((sum, it) => sum + it.durationNs, 0) / own.length;
  };
  const sums = table.sumsOf([]);
  const like =
    sums.sumA.reduce((all, it) => all + it, 0) / entries.totals.nA -
    sums.sumB.reduce((all, it) => all + it, 0) / entries.totals.nB;
  expect((like + entries.mixOfEntries()) / (mean(true) - mean(false))).toBeCloseTo(1, 9);
});
