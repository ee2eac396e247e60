import { describe, expect, it } from 'vitest';
import { type PlanNode, parsePlan } from '../database/planTree.ts';
import { ownMs, planPairs, planShape, worstGuess } from './plans.ts';

type Raw = Readonly<Record<string, unknown>>;

const plan = (root: Raw): PlanNode => parsePlan(JSON.stringify([{ Plan: root }]))!;
const scan = (table: string, type = 'Seq Scan', more: Raw = {}): Raw => ({ 'Node Type': type, 'Relation Name': table, ...more });
const over = (type: string, plans: readonly Raw[], more: Raw = {}): Raw => ({ 'Node Type': type, Plans: plans, ...more });
const timed = (ms: number, rows = 10, guessed = 10): Raw => ({
  'Actual Total Time': ms,
  'Actual Rows': rows,
  'Plan Rows': guessed,
  'Actual Loops': 1,
});

describe('the shape of a plan', () => {
  it('is that of the kinds of steps, tables and indexes, whatever they are guessed to cost', () => {
    const one = plan(over('Hash Join', [scan('call'), over('Hash', [scan('quay')])], { 'Total Cost': 10, 'Plan Rows': 3 }));
    const same = plan(over('Hash Join', [scan('call'), over('Hash', [scan('quay')])], { 'Total Cost': 99, 'Plan Rows': 7 }));
    expect(planShape(one)).toBe('Hash Join(Seq Scan call,Hash(Seq Scan quay))');
    expect(planShape(same)).toBe(planShape(one));
  });

  it.each([
    ['another index', scan('call', 'Index Scan', { 'Index Name': 'a' }), scan('call', 'Index Scan', { 'Index Name': 'b' })],
    ['another order', over('Hash Join', [scan('a'), scan('b')]), over('Hash Join', [scan('b'), scan('a')])],
    [
      'another kind of join',
      over('Hash Join', [scan('a')], { 'Join Type': 'Left' }),
      over('Hash Join', [scan('a')], { 'Join Type': 'Semi' }),
    ],
    [
      'a subquery that is hashed',
      scan('a', 'Seq Scan', { Filter: '(NOT (SubPlan 1))' }),
      scan('a', 'Seq Scan', { Filter: '(NOT (hashed SubPlan 1))' }),
    ],
    ['several processes', scan('a'), scan('a', 'Seq Scan', { 'Parallel Aware': true })],
  ])('is another one with %s', (_, a, b) => {
    expect(planShape(plan(a))).not.toBe(planShape(plan(b)));
  });
});

describe('steps of two plans', () => {
  const before = plan(
    over(
      'Sort',
      [
        over(
          'Hash Join',
          [scan('call', 'Seq Scan', timed(80)), over('Hash', [scan('quay', 'Seq Scan', timed(2))], timed(3))],
          timed(100),
        ),
      ],
      timed(120),
    ),
  );
  const after = plan(
    over(
      'Sort',
      [over('Nested Loop', [scan('call', 'Index Scan', timed(8)), scan('quay', 'Index Scan', timed(2))], timed(12))],
      timed(14),
    ),
  );

  it('are matched by the tables that they read and the work that they do', () => {
    const pairs = planPairs(before, after);
    // Sort, join, call, (hash), quay against sort, join, call, quay.
    expect(pairs.map(({ left, right }) => [left, right])).toEqual([
      [0, 0],
      [1, 1],
      [2, 2],
      [4, 3],
    ]);
    expect(pairs.find(({ left }) => left === 2)!.ratio).toBe(10);
    expect(pairs.find(({ left }) => left === 4)!.ratio).toBe(1);
  });

  it('are matched once each, and have no ratio where one was not timed', () => {
    const twice = plan(over('Append', [scan('call'), scan('call')]));
    expect(planPairs(twice, plan(scan('call')))).toEqual([{ left: 1, right: 0, ratio: null }]);
    expect(planPairs(plan(scan('call')), plan(scan('quay')))).toEqual([]);
  });

  it('that join more tables than before are matched with those that join some of them', () => {
    const small = plan(over('Hash Join', [scan('a'), scan('b')]));
    const great = plan(over('Hash Join', [over('Merge Join', [scan('a'), scan('b')]), scan('c')]));
    expect(planPairs(small, great).map(({ left, right }) => [left, right])).toContainEqual([0, 1]);
  });
});

describe('what a step took itself', () => {
  it('is its time without those below, never less than nothing', () => {
    const root = plan(over('Sort', [scan('call', 'Seq Scan', timed(80))], timed(100)));
    expect(ownMs(root)).toBe(20);
    expect(ownMs(plan(over('Limit', [scan('call', 'Seq Scan', timed(80))], timed(30))))).toBe(0);
    expect(ownMs(plan(scan('call')))).toBeNull();
  });
});

describe('the worst guess', () => {
  it('is of the step whose rows were guessed most wrong, in either direction', () => {
    const low = plan(over('Sort', [scan('call', 'Seq Scan', timed(8, 5_000, 10))], timed(9, 100, 90)));
    expect(worstGuess(low)).toMatchObject({ factor: 500, isTooLow: true, step: { relation: 'call' } });
    const high = plan(scan('call', 'Seq Scan', timed(8, 0, 700)));
    expect(worstGuess(high)).toMatchObject({ factor: 700, isTooLow: false });
    expect(worstGuess(plan(scan('call')))).toBeUndefined();
  });
});
