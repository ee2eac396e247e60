import { describe, expect, it } from 'vitest';
import { CAUSES, type Cause, isIn, KINDS, likeness, type Planted, plant } from '../../../tests/support/made/plantedCauses.ts';
import { contrast } from './contrast.ts';
import { evaluate } from './evaluate.ts';
import { differenceOf } from './explained.ts';
import { conditionsOf, setKey, setOf } from './requests/requestSet.ts';
import { expectedOf, stacksOf, without } from './stack.ts';

/** Fast phones among the slow ones are a cause of another kind: what is asked there is which requests are slow, not what changed. */
const ASKED = Object.entries(KINDS).flatMap(([name, kind]) =>
  CAUSES.filter((cause) => cause !== 'none' && !(kind.byOutcome && cause === 'simpson')).map(
    (cause) => [cause, name, kind] as const,
  ),
);

describe('the cause that was planted is the first row', () => {
  it.each(ASKED)('%s, %s', async (cause, _, kind) => {
    const planted = plant(cause, kind, 7);
    const { rows } = await contrast(planted.source, kind);
    expect(rows[0]?.sure).toBe(true);
    expect(likeness(planted, rows[0].set)).toBeGreaterThan(0.9);
  });
});

it.each(Object.entries(KINDS))('nothing is claimed where nothing differs: %s', async (_, kind) => {
  expect((await contrast(plant('none', kind, 11).source, kind)).rows).toEqual([]);
});

const SLOWER = KINDS['slower than before'];
const SLOW = KINDS['slow against the rest'];

describe('a contrast', () => {
  it('names twins once, and says which they are', async () => {
    const { rows } = await contrast(plant('twins', SLOWER, 3).source, SLOWER);
    const fields = [rows[0].set, ...rows[0].twins].map((set) => set.map(({ facet }) => facet.field).join());
    expect(new Set(fields)).toEqual(new Set(['service.version', 'layout.solver']));
  });

  it('tells more of what is slow from what got slower', async () => {
    const mix = (await contrast(plant('mix', SLOWER, 3).source, SLOWER)).rows[0];
    expect(Math.abs(mix.behaviour)).toBeLessThan(0.25 * mix.mix);
    const value = (await contrast(plant('value', SLOWER, 3).source, SLOWER)).rows[0];
    expect(Math.abs(value.mix)).toBeLessThan(0.25 * value.behaviour);
  });

  it('says which attributes make no difference, and not of one that does', async () => {
    const { ruledOut, rows } = await contrast(plant('value', SLOW, 5).source, SLOW);
    const fields = ruledOut.filter(({ atMost }) => atMost < 0.05).map(({ facet }) => facet.field);
    expect(fields).toContain('noise.15');
    expect(fields).not.toContain(rows[0].set[0].facet.field);
  });

  it('says how many there are, by a second count', async () => {
    const planted = plant('pair', SLOW, 5);
    const { rows } = await contrast(planted.source, SLOW);
    const members = planted.requests.filter((it) => isIn(it, rows[0].set));
    expect(rows[0].totals).toMatchObject({
      nA: members.filter(({ isA }) => isA).length,
      nB: members.filter(({ isA }) => !isA).length,
    });
    expect(rows[0].amount).toBeCloseTo(
      shareOfSlow(planted, (it) => isIn(it, rows[0].set)),
      12,
    );
  });

  it('has too little to say of a handful of requests', async () => {
    expect((await contrast(plant('value', SLOWER, 1, 15).source, SLOWER)).enough).toBe(false);
  });
});

function shareOfSlow({ requests }: Planted, isMember: (it: Planted['requests'][number]) => boolean): number {
  const rest = requests.filter((it) => !isMember(it));
  const share = (of: Planted['requests']) => of.filter(({ isA }) => isA).length / of.length;
  return 1 - share(rest) / share(requests);
}

describe('what is peeled off', () => {
  it.each<[Cause, keyof typeof KINDS]>([
    ['pair', 'slower than before'],
    ['value', 'failing more than before'],
    ['threshold', 'slow against the rest'],
  ])('and what is left sum to the whole: %s, %s', async (cause, name) => {
    const kind = KINDS[name];
    const { source } = plant(cause, kind, 4);
    const found = await contrast(source, kind);
    const sets = [...found.rows, ...found.maybe].slice(0, 3).map(({ set }) => set);
    const expected = await expectedOf(source, kind);
    const [stack] = await stacksOf(source, kind, [sets], expected);
    const left = stack.layers.at(-1)!.left;
    const sum = stack.layers.reduce((all, { amount }) => all + amount, left);
    expect(Math.abs(sum - stack.whole)).toBeLessThan(1e-9 * Math.max(1, Math.abs(stack.whole)));
    for (const layer of kind.byOutcome ? [] : stack.layers)
      expect(Math.abs(layer.behaviour + layer.mix - layer.amount)).toBeLessThan(1e-9 * Math.abs(stack.whole));
    // The first layer is what the row says.
    expect(stack.layers[0].amount).toBeCloseTo(found.rows[0].amount, kind.outcome === 'duration' && !kind.byOutcome ? 0 : 9);
  });

  it('is gone: the rest is as if it had never been', async () => {
    const planted = plant('value', SLOWER, 6);
    const { rows } = await contrast(planted.source, SLOWER);
    const expected = await expectedOf(planted.source, SLOWER);
    const left = await contrast(without(planted.source, [rows[0].set]), SLOWER, { expected });
    expect(left.rows).toEqual([]);
    const rest = planted.requests.filter((it) => !isIn(it, rows[0].set));
    const count = (isA: boolean) => rest.filter((it) => it.isA === isA).length;
    expect(left.totals).toMatchObject({ nA: count(true), nB: count(false) });
    const sum = (isA: boolean) => rest.filter((it) => it.isA === isA).reduce((all, it) => all + it.durationNs, 0);
    expect(left.difference).toBeCloseTo(
      differenceOf({ nA: count(true), nB: count(false), sumA: sum(true), sumB: sum(false) }),
      0,
    );
    const [again] = await evaluate(planted.source, SLOWER, [rows[0].set], expected);
    expect(again.amount).toBeCloseTo(rows[0].amount, 0);
  });
});

it('a set is the same when it has been written as conditions and read again', async () => {
  for (const cause of ['pair', 'threshold', 'instance'] as const) {
    const { rows } = await contrast(plant(cause, SLOWER, 2).source, SLOWER);
    for (const { set } of rows) expect(setKey(setOf(conditionsOf(set))!)).toBe(setKey(set));
  }
});

it('lets others have their turn between its steps, and ends where it is told to', async () => {
  const { source } = plant('value', KINDS['slower than before'], 8, 600);
  let turns = 0;
  await contrast(source, KINDS['slower than before'], { breathe: async () => turns++ });
  expect(turns).toBeGreaterThan(5);
  for (const last of [1, Math.ceil(turns / 2), turns]) {
    const controller = new AbortController();
    let turn = 0;
    const breathe = async () => {
      if (++turn === last) controller.abort();
    };
    await expect(contrast(source, KINDS['slower than before'], { breathe, signal: controller.signal })).rejects.toThrow('abort');
    expect(turn).toBe(last);
  }
});

it.each([3, 10, 27, 38, 64, 133])('claims no pair of nothing, however well two chosen values go together (%i)', async (seed) => {
  const kind = KINDS['failed against fine'];
  const { rows, looked } = await contrast(plant('none', kind, 5_000 + seed).source, kind);
  expect(looked).toBeGreaterThan(1_000);
  expect(rows.map(({ key, chance }) => ({ key, chance }))).toEqual([]);
});
