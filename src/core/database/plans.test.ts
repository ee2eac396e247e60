import { describe, expect, it } from 'vitest';
import { type CostOfCall, type StatementEvidence, statementAdvice } from './advice.ts';
import { parsePlan, planDifference, planSteps } from './planTree.ts';
import { statementLabel } from './statementLabel.ts';
import { classIndex, WAIT_CLASSES } from './waitClasses.ts';
import { formatSessions, queryOrDatabase, serverSentence } from './words.ts';

const plan = (scan: object) =>
  JSON.stringify([
    { Plan: { 'Node Type': 'Sort', 'Total Cost': 120, 'Plan Rows': 24, 'Sort Key': ['departs_at'], Plans: [scan] } },
  ]);
const byIndex = plan({
  'Node Type': 'Index Scan',
  'Relation Name': 'sailing',
  'Index Name': 'sailing_route_idx',
  'Index Cond': '(route = $1)',
  'Total Cost': 70,
  'Plan Rows': 24,
});
const byRows = plan({
  'Node Type': 'Seq Scan',
  'Relation Name': 'sailing',
  Filter: '(route = $1)',
  'Total Cost': 110,
  'Plan Rows': 24,
  'Actual Rows': 6,
  'Actual Loops': 4,
  'Actual Total Time': 2.5,
});

describe('a plan', () => {
  it('is read with its own costs, conditions, and what was seen over all loops', () => {
    const root = parsePlan(byRows)!;
    expect(
      planSteps(root).map(({ type, on, ownCost, conditions, seenRows, seenMs }) => [
        type,
        on,
        ownCost,
        conditions,
        seenRows,
        seenMs,
      ]),
    ).toEqual([
      ['Sort', '', 10, ['Sort Key: departs_at'], null, null],
      ['Seq Scan', 'sailing', 110, ['Filter: (route = $1)'], 24, 10],
    ]);
  });

  it('that is none is not read', () => {
    for (const text of ['', '[]', '{"Plan": 3}', '[{"Plan": {}}]', 'null']) expect(parsePlan(text)).toBeUndefined();
  });

  it('differs from another by how it reads its tables', () => {
    expect(planDifference(parsePlan(byIndex)!, parsePlan(byRows)!)).toEqual([
      'sailing: Index Scan by sailing_route_idx → Seq Scan',
    ]);
    expect(planDifference(parsePlan(byIndex)!, parsePlan(byIndex)!)).toEqual([]);
  });
});

const loads = (of: Partial<Record<(typeof WAIT_CLASSES)[number], number>>) => WAIT_CLASSES.map((it) => of[it] ?? 0);
const cost = (of: Partial<CostOfCall> = {}): CostOfCall => ({
  calls: 1,
  ms: 10,
  rows: 10,
  blocksHit: 60,
  blocksRead: 0,
  blocksTemporary: 0,
  ...of,
});
const evidence = (of: Partial<StatementEvidence>): StatementEvidence => ({
  lit: loads({ CPU: 1 }),
  cost: cost(),
  costBefore: cost(),
  plan: null,
  changed: null,
  holders: [],
  program: 'sailings',
  ...of,
});

describe('advice on a statement', () => {
  it('is silent when nothing stands out', () => expect(statementAdvice(evidence({}))).toEqual([]));

  it('names the plan that changed and what it did to the time', () => {
    const changed = { words: ['sailing: Index Scan by x → Seq Scan'], meanBeforeMs: 9.6, meanAfterMs: 201 };
    expect(statementAdvice(evidence({ changed }))[0].evidence).toBe(
      'sailing: Index Scan by x → Seq Scan; a call takes 9.6 → 201 ms',
    );
    expect(statementAdvice(evidence({ changed: { ...changed, meanAfterMs: 9 } }))).toEqual([]);
  });

  it('sends whoever waits for a lock to its holder, not to the statement', () => {
    const [advice] = statementAdvice(
      evidence({ lit: loads({ Lock: 9, CPU: 1 }), holders: [{ who: 'season-rollover', share: 0.98, idleShare: 0.9 }] }),
    );
    expect(advice.words).toMatch(/^End the transaction of season-rollover/);
    expect(advice.evidence).toBe('90 % of its time waits for a lock, 98 % of that held by season-rollover');
  });

  it('asks for an index only where a scan throws rows away', () => {
    const wasteful = { lit: loads({ CPU: 1 }), cost: cost({ blocksHit: 4000 }) };
    expect(statementAdvice(evidence({ ...wasteful, plan: parsePlan(byRows)! }))[0].words).toMatch(/every row of sailing/);
    expect(statementAdvice(evidence({ ...wasteful, plan: parsePlan(byIndex)! }))[0].words).not.toMatch(/index/);
  });

  it('tells slow readers, sorts on disk, and more calls apart', () => {
    expect(statementAdvice(evidence({ lit: loads({ Client: 1 }) }))[0].words).toMatch(/^sailings reads the answer too slowly/);
    expect(statementAdvice(evidence({ cost: cost({ blocksTemporary: 900 }) }))[0].words).toMatch(/work_mem/);
    expect(statementAdvice(evidence({ cost: cost({ calls: 5 }) }))[0].words).toMatch(/called more often/);
  });
});

describe('a statement', () => {
  it.each([
    ['UPDATE booking SET sailing_id = $1, value = $2 WHERE ref = $3', 'UPDATE booking', 'sailing_id, value'],
    ['SELECT id, name FROM vessel WHERE id = ANY($1)', 'SELECT vessel', 'id, name'],
    ['insert into ledger_entry (ref, amount) values ($1, $2)', 'INSERT ledger_entry', 'ref, amount'],
    ['DELETE FROM session WHERE expires_at < now()', 'DELETE session', 'expires_at < now()'],
    ["SELECT 1 FROM a /*traceparent='00-x'*/", 'SELECT a', '1'],
    ['VACUUM booking', 'VACUUM', 'booking'],
    ['', 'unknown statement', ''],
  ])('%s is called in a few words', (text, name, detail) => expect(statementLabel(text)).toEqual({ name, detail }));
});

describe('what is said of a server', () => {
  const of = (lit: number[] | null, move: 'up' | 'down' | 'flat' | 'unknown', before: number[] | null = loads({ CPU: 1 })) => ({
    name: 'manifest-db',
    lit,
    before,
    move,
    cores: 4,
  });

  it('names the wait, and who holds the lock', () => {
    const locked = loads({ CPU: 1.3, Lock: 20.1 });
    const root = { program: 'season-rollover', session: '4163', idleShare: 0.9, share: 0.98 };
    expect(serverSentence(of(locked, 'up'), root)).toBe(
      '94 % of the load waits for a lock, held by season-rollover, which does nothing',
    );
    expect(serverSentence(of(locked, 'up'), { ...root, program: '', idleShare: 0 })).toMatch(/held by session 4163$/);
    expect(serverSentence(of(locked, 'up'), { ...root, share: 0.6 })).toMatch(
      /mostly held by season-rollover, which does nothing$/,
    );
    // Of many small holders none is named.
    expect(serverSentence(of(locked, 'up'), { ...root, share: 0.2 })).not.toMatch(/held by/);
    expect(serverSentence(of(loads({ CPU: 3.6 }), 'up'))).toBe('100 % of the load runs on the CPU: 3.6 sessions for 4 cores');
    expect(serverSentence(of(loads({ CPU: 2 }), 'up'), undefined, { statement: 'SELECT sailing', share: 0.9 })).toBe(
      'manifest-db: 1.0 → 2.0 sessions, 90 % of the growth is SELECT sailing',
    );
  });

  it('claims nothing where nothing is known', () => {
    expect(serverSentence(of(null, 'unknown'))).toBe('manifest-db was not sampled in this window');
    expect(serverSentence(of(loads({ CPU: 3 }), 'unknown'))).toMatch(/too few samples to compare$/);
    expect(serverSentence(of(loads({ CPU: 0.01 }), 'flat'))).toMatch(/nearly idle/);
    expect(serverSentence(of(loads({ CPU: 1.1 }), 'flat'))).toBe('manifest-db: 1.0 → 1.1 sessions, as before');
  });

  it('answers whether it is the query or the database', () => {
    const locked = of(loads({ CPU: 1, Lock: 20 }), 'up');
    const grew = (share: number) => ({ statement: 'SELECT sailing', share });
    const root = { program: 'season-rollover', session: '9', idleShare: 0.9, share: 1 };
    expect(queryOrDatabase(locked, grew(0.9), root)).toBe(
      'Not the query and not the server: 1.0 of 4 cores compute, the others wait for a transaction that is open and does nothing.',
    );
    expect(queryOrDatabase(locked, grew(0.9), { ...root, idleShare: 0 })).toMatch(/rows that other sessions have locked\.$/);
    expect(queryOrDatabase(of(loads({ CPU: 3.9 }), 'up'), grew(0.9))).toMatch(/^The query: 90 % .*the cores are full/);
    expect(queryOrDatabase(of(loads({ CPU: 2 }), 'up'), grew(0.7))).toBe('The query: 70 % of the growth is SELECT sailing.');
    expect(queryOrDatabase(of(loads({ CPU: 1, IO: 3 }), 'up'), grew(0.2))).toMatch(/^The server: .* reads or writes the disk/);
    expect(queryOrDatabase(of(loads({ CPU: 1 }), 'flat'), grew(0.9))).toBeUndefined();
  });

  it('shows sessions as precise as they are many', () =>
    expect([0, 0.001, 0.034, 0.42, 0.999, 2.14, 22.61, 240.4].map(formatSessions)).toEqual([
      '0',
      '<0.01',
      '0.03',
      '0.42',
      '1.0',
      '2.1',
      '22.6',
      '240',
    ]));

  it('knows every class by the index of its name', () =>
    expect(WAIT_CLASSES.map((name) => classIndex(name === 'CPU' ? '' : name))).toEqual(WAIT_CLASSES.map((_, at) => at)));
});
