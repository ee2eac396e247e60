import { describe, expect, it } from 'vitest';
import { filterColumns, LONG_ENOUGH_MS, missingIndexes, type PlannedStatement, unusedIndexes } from './indexAdvice.ts';
import { indexesSentence } from './indexWords.ts';
import { parsePlan } from './planTree.ts';

describe('columns that a condition finds rows by', () => {
  it.each<[string, string[] | undefined]>([
    ['(route = $1)', ['route']],
    ['((departs_at >= $2) AND (departs_at <= $3) AND (route = $1))', ['route', 'departs_at']],
    ["((state)::text = 'open'::text)", ['state']],
    ['(expires_at < (now() - $1))', ['expires_at']],
    ["((s.state = 'a = b OR c'::text) AND (s.vessel_id = ANY ($1)))", ['state', 'vessel_id']],
    ['(taken_by IS NULL)', ['taken_by']],
    // One of several is enough, or the text of something else, or what a function makes of a column: columns alone can't serve.
    ['((route = $1) OR (vessel_id = $2))', undefined],
    ['(lower(handle) = $1)', undefined],
    ['(state <> $1)', undefined],
    ['(sailing_id IN (SELECT id FROM sailing_copy WHERE route = $2))', undefined],
    ['', undefined],
  ])('%s', (condition, columns) => expect(filterColumns([condition])).toEqual(columns));

  it('are of all conditions of a scan', () => {
    expect(filterColumns(['(a = 1)', '(b > 2)', '(c > 3)'])).toEqual(['a', 'b']);
    expect(filterColumns([])).toBeUndefined();
  });
});

const scan = (relation: string, filter: string, rows: number, cost = 1_000) => ({
  'Node Type': 'Seq Scan',
  'Relation Name': relation,
  Filter: filter,
  'Total Cost': cost,
  'Plan Rows': rows,
});
const planned = (id: string, root: object, sessions: number, blocks: number): PlannedStatement => ({
  id,
  plan: parsePlan(JSON.stringify([{ Plan: root }]))!,
  sessions,
  blocks,
});
const TABLES = new Map([['session', { rows: 400_000, changedPerMinute: 12 }]]);

describe('indexes that are missing', () => {
  it('are those for which all of a table is looked at, with what they save', () => {
    const [found, ...others] = missingIndexes([planned('sweep', scan('session', '(expires_at < $1)', 397), 0.5, 4_000)], TABLES);
    expect(others).toEqual([]);
    expect(found).toMatchObject({
      table: 'session',
      columns: ['expires_at'],
      sessions: 0.5,
      rows: 400_000,
      changedPerMinute: 12,
    });
    // A tenth of the blocks is left: 397 rows and the way down.
    expect(found.statements).toEqual([{ id: 'sweep', sessions: 0.5, blocks: 4_000, least: 400 }]);
    expect(found.saves).toBeCloseTo(0.45, 9);
  });

  it('count for the part of a plan that the scan is', () => {
    const root = {
      'Node Type': 'Hash Join',
      'Total Cost': 4_000,
      'Plan Rows': 10,
      Plans: [
        scan('booking', '(ref = $1)', 1, 1_000),
        { 'Node Type': 'Seq Scan', 'Relation Name': 'other', 'Total Cost': 2_900 },
      ],
    };
    const [found, ...others] = missingIndexes([planned('join', root, 2, 8_000)], new Map());
    expect(others).toEqual([]);
    expect(found.statements[0]).toEqual({ id: 'join', sessions: 0.5, blocks: 2_000, least: 4 });
    expect(found.rows).toBeNull();
  });

  it('are one where the columns of one begin those of another', () => {
    const found = missingIndexes(
      [
        planned('a', scan('sailing', '(route = $1)', 50), 0.2, 5_000),
        planned('b', scan('sailing', '((route = $1) AND (departs_at > $2))', 5), 1, 5_000),
        planned('c', scan('sailing', '(departs_at > $1)', 5), 0.1, 5_000),
      ],
      new Map(),
    );
    expect(found.map(({ columns, statements }) => [columns, statements.map(({ id }) => id)])).toEqual([
      [
        ['route', 'departs_at'],
        ['b', 'a'],
      ],
      [['departs_at'], ['c']],
    ]);
  });

  it('are none where little is read, most of it is wanted, or an index is used', () => {
    const used = { ...scan('booking', '(ref = $1)', 1), 'Node Type': 'Index Scan', 'Index Name': 'booking_ref_key' };
    expect(
      missingIndexes(
        [
          planned('small', scan('vessel', '(id = $1)', 1), 1, 40),
          planned('most', scan('passenger', '(boarded_at > $1)', 90_000), 1, 20_000),
          planned('used', used, 1, 9_000),
          planned('all', { 'Node Type': 'Seq Scan', 'Relation Name': 'watch', 'Total Cost': 9 }, 1, 9_000),
        ],
        new Map(),
      ),
    ).toEqual([]);
  });
});

describe('indexes that are not used', () => {
  const index = (name: string, more: object = {}) => ({
    table: 'deck_slot',
    name,
    bytes: 40 * 2 ** 20,
    scans: 0,
    unique: false,
    observedMs: 2 * LONG_ENOUGH_MS,
    ...more,
  });

  it('are those that nothing looked into for a day, the largest first; not those that keep values unique', () => {
    const found = unusedIndexes(
      [
        index('small', { bytes: 1 }),
        index('used', { scans: 1 }),
        index('key', { unique: true }),
        index('large'),
        index('not told', { unique: null, bytes: 2 }),
        index('new', { observedMs: LONG_ENOUGH_MS - 1 }),
      ],
      new Map([['deck_slot', { rows: null, changedPerMinute: 3 }]]),
    );
    expect(found.map(({ name, changedPerMinute }) => [name, changedPerMinute])).toEqual([
      ['large', 3],
      ['not told', 3],
      ['small', 3],
    ]);
  });
});

describe('what is said of indexes', () => {
  const missing = { table: 'sailing', columns: ['route', 'departs_at'], saves: 0.82 };
  const known = { plans: 20, indexes: 31, observedMs: 2 * LONG_ENOUGH_MS, isLongEnough: true };
  it.each([
    [
      'both',
      indexesSentence('sailing-db', [missing], [{ bytes: 41e6 }], known),
      'An index on sailing (route, departs_at) is missing: it would save up to 0.82 sessions; 1 of 31 was not used in 48 h, 41.0 MB',
    ],
    [
      'several',
      indexesSentence('sailing-db', [missing, missing, missing], [], known),
      'An index on sailing (route, departs_at) is missing: it would save up to 0.82 sessions, and 2 more; all were used in 48 h',
    ],
    ['neither', indexesSentence('a', [], [], known), 'No plan lacks an index; all were used in 48 h'],
    [
      'too short a time',
      indexesSentence('a', [], [], { ...known, observedMs: 60_000, isLongEnough: false }),
      'No plan lacks an index; counted too short a time to say which are not used',
    ],
    [
      'no plans',
      indexesSentence('a', [], [], { ...known, plans: 0 }),
      'Nobody reports plans of a: what is missing is not known; all were used in 48 h',
    ],
    [
      'no counts',
      indexesSentence('a', [], [], { ...known, indexes: 0 }),
      'No plan lacks an index; which indexes are used is not reported',
    ],
    ['nothing', indexesSentence('a', [], [], { ...known, plans: 0, indexes: 0 }), 'Nobody reports plans or indexes of a'],
  ])('%s', (_, said, words) => expect(said).toBe(words));
});
