import { expect, it } from 'vitest';
import { KINDS, plant, sourceOf } from '../../../../tests/support/made/plantedCauses.ts';
import { contrast } from '../contrast.ts';
import { membersOf } from './contrastSource.ts';
import { gathered } from './gather.ts';
import type { RequestSet } from './requestSet.ts';

const KIND = KINDS['slower than before'];
const SETS: readonly RequestSet[] = [
  [{ facet: { field: 'ferry.vehicle_class', service: null }, values: ['coach', 'freight'] }],
  [{ facet: { field: 'ferry.party_size', service: null }, least: 7 }],
  [{ facet: { field: 'ferry.party_size', service: null }, most: 2 }],
  [{ facet: { field: 'service.version', service: 'berths' }, values: ['4.7.0'] }],
  [{ facet: { field: 'never.told', service: null }, values: ['x'] }],
];

it('requests of many blocks are the same in one', async () => {
  const { requests } = plant('pair', KIND, 3, 600);
  const whole = await gathered(sourceOf(requests, KIND, 70));
  let block: Parameters<Parameters<typeof whole.scan>[0]>[0] | undefined;
  await whole.scan((it) => {
    block = it;
  });
  expect(block!.count).toBe(requests.length);
  for (const [at, it] of requests.entries()) {
    expect(block!.outcome[at]).toBe(it.durationNs);
    expect(block!.isA[at] === 1).toBe(it.isA);
    expect(block!.entries[block!.entry[at]]).toBe(it.entry);
    expect(block!.user(at)).toBe(it.values.get('enduser.id')![0]);
  }
  const members: Record<number, number> = {};
  await sourceOf(requests, KIND, 70).scan((it) => {
    for (const [index, set] of SETS.entries())
      members[index] = (members[index] ?? 0) + membersOf(it, set).reduce((sum, is) => sum + is, 0);
  });
  for (const [index, set] of SETS.entries()) expect(membersOf(block!, set).reduce((sum, is) => sum + is, 0)).toBe(members[index]);
});

it('a contrast of them says the same', async () => {
  const { source } = plant('value', KIND, 8, 1_500);
  const [one, other] = [await contrast(source, KIND), await contrast(await gathered(source), KIND)];
  const shown = ({ rows, maybe, ruledOut }: typeof one) => ({
    rows: [...rows, ...maybe].map(({ key, totals, chance }) => [key, totals.nA, totals.nB, chance.toPrecision(6)]),
    ruledOut: ruledOut.map(({ facet, atMost }) => [facet.field, atMost.toPrecision(6)]),
  });
  expect(shown(other)).toEqual(shown(one));
});

it('more requests than a block takes become several, each with all of their values', async () => {
  const { requests } = plant('value', KIND, 5, 500);
  const source = sourceOf(requests, KIND, 100);
  // The same requests over and over: as many as fill two blocks and a part of a third.
  const times = Math.ceil(110_000 / requests.length);
  const many = await gathered({
    scan: async (visit) => {
      for (let time = 0; time < times; time++) await source.scan(visit);
    },
  });
  const counts: number[] = [];
  const members = SETS.map(() => 0);
  await many.scan((block) => {
    counts.push(block.count);
    for (const [index, set] of SETS.entries()) for (const is of membersOf(block, set)) members[index] += is;
  });
  expect(counts.length).toBe(3);
  expect(counts.reduce((sum, count) => sum + count, 0)).toBe(times * requests.length);
  const once = SETS.map(() => 0);
  await source.scan((block) => {
    for (const [index, set] of SETS.entries()) for (const is of membersOf(block, set)) once[index] += is;
  });
  expect(members).toEqual(once.map((count) => count * times));
  expect(once[0]).toBeGreaterThan(0);
});
