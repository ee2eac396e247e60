import { describe, expect, it } from 'vitest';
import type { Evidence } from '../../../core/casebook/evidence/evidence.ts';
import { CODE_PINS } from './codePins.ts';
import { DATABASE_PINS } from './databasePins.ts';
import { fewerSteps, NothingToPin } from './pinSource.ts';
import { TRACE_PINS } from './tracePins.ts';

const only = <Form extends Evidence['form']>(evidence: readonly Evidence[], form: Form) =>
  evidence.find((it): it is Extract<Evidence, { form: Form }> => it.form === form)!;

/** A trace of a root and many short calls, one of which has most of the time, deep below others. */
function longTrace(calls: number) {
  const count = calls + 4;
  const deep = [calls + 1, calls + 2, calls + 3];
  const zeros = Array.from({ length: count }, () => 0);
  return {
    traceId: 'ab'.repeat(16),
    traces: ['ab'.repeat(16)],
    start: '2026-05-02T14:00:00Z',
    durationNs: 1_000,
    services: ['gangway', 'manifests'],
    operations: ['PUT', 'UPDATE booking'],
    spans: {
      id: zeros.map((_, at) => String(at)),
      parent: zeros.map((_, at) => (at === 0 ? -1 : at <= calls ? 0 : at === calls + 1 ? 0 : at - 1)),
      service: zeros.map((_, at) => (at > calls ? 1 : 0)),
      operation: zeros.map((_, at) => (at === count - 1 ? 1 : 0)),
      kind: zeros,
      startNs: zeros.map((_, at) => at),
      durationNs: zeros.map((_, at) => (at === 0 ? 1_000 : deep.includes(at) ? 900 : 2)),
      selfNs: zeros,
    },
    failures: [{ span: count - 1, part: { role: 'origin', party: 'manifest-db' } }],
    path: { span: [0, count - 1], startNs: [0, 50], endNs: [50, 1_000], queued: [] },
    ledger: [
      { party: 'manifest-db', kind: 'lock', durationNs: 950, share: 0.95 },
      { party: 'gangway', kind: 'own', durationNs: 50, share: 0.05 },
    ],
  } as unknown as Parameters<(typeof TRACE_PINS)['trace']['freeze']>[0];
}

describe('a frozen trace', () => {
  it('of ten thousand spans keeps those that tell most, each with all that are above it', () => {
    const { evidence } = TRACE_PINS.trace.freeze(longTrace(10_000), {}, {});
    const timeline = only(evidence, 'timeline');
    expect(timeline.spans.length).toBeLessThanOrEqual(125);
    expect(timeline.leftOut + timeline.spans.length).toBe(10_004);
    const last = timeline.spans.at(-1)!;
    expect(last).toMatchObject({ name: 'UPDATE booking', failed: true, depth: 3, path: [[50, 1_000]] });
    // Depths go up by one at most: nothing hangs in the air.
    for (const [at, { depth }] of timeline.spans.entries())
      expect(depth).toBeLessThanOrEqual(at === 0 ? 0 : timeline.spans[at - 1].depth + 1);
  });

  it('has a ledger that adds up to its duration', () => {
    const { evidence, about } = TRACE_PINS.ledger.freeze(longTrace(3), {}, {});
    const parts = only(evidence, 'parts');
    expect(parts.parts.reduce((sum, { value }) => sum + value, 0)).toBe(parts.whole);
    expect(about).toEqual(['operation:PUT', 'party:manifest-db lock']);
  });
});

describe('a frozen profile', () => {
  it('never keeps a call without the ones above it', () => {
    const size = 2_000;
    const tree = {
      frames: Array.from({ length: size }, (_, at) => ({ name: `f${at}`, file: 'a.js', line: at, own: at % 2 === 0 })),
      frame: Array.from({ length: size }, (_, at) => at),
      parent: Array.from({ length: size }, (_, at) => (at === 0 ? -1 : Math.floor((at - 1) / 2))),
      lit: Array.from({ length: size }, (_, at) => 1_000 / (1 + Math.floor(Math.log2(at + 1)))),
      before: Array.from({ length: size }, () => 1),
      leftOut: { nodes: 0, lit: 0, before: 0 },
    };
    const answer = {
      type: 'cpu',
      service: 'passes',
      grown: 'f1|a.js',
      tree,
      lit: { value: 1_000 },
      before: { value: 0 },
      functions: [],
      moreFunctions: 0,
      chosen: null,
    };
    const { evidence } = CODE_PINS.profile.freeze(
      answer as unknown as Parameters<(typeof CODE_PINS)['profile']['freeze']>[0],
      {},
      {},
    );
    const { calls } = only(evidence, 'flame');
    expect(calls.length).toBeGreaterThan(100);
    for (const [at, { parent, before }] of calls.entries()) {
      expect(parent).toBeLessThan(at);
      // Nothing was sampled before: that is no share of it.
      expect(before).toBe(0);
    }
  });
});

describe('a frozen moment of a database', () => {
  const session = (id: string, more: object) => ({
    session: id,
    program: 'manifests',
    state: 'active',
    waitClass: 'Lock',
    waitEvent: 'transactionid',
    statement: 'UPDATE booking',
    sinceMs: 8_000,
    transactionMs: 9_000,
    blockedBy: [],
    ...more,
  });
  const freeze = (moment: object | null) =>
    DATABASE_PINS.blocking.freeze(
      { moment } as unknown as Parameters<(typeof DATABASE_PINS)['blocking']['freeze']>[0],
      {},
      { name: 'manifest-db' },
    );

  it('says who holds, since when its transaction is open, and who waits for how long', () => {
    const { evidence, about } = freeze({
      at: Date.parse('2026-05-02T10:31:20Z'),
      active: 1,
      blocked: 1,
      heldOpen: 1,
      sessions: [
        session('1', { program: 'season-rollover', state: 'idle in transaction', transactionMs: 616_000 }),
        session('2', {}),
      ],
      trees: [
        { session: '1', depth: 0, behind: 1 },
        { session: '2', depth: 1, behind: 0 },
      ],
    });
    expect(only(evidence, 'tree').nodes).toEqual([
      { depth: 0, name: 'season-rollover, session 1', note: 'holds 1 · idle in transaction', value: 616e9, starts: true },
      {
        depth: 1,
        name: 'manifests, session 2',
        note: 'UPDATE booking · waits for Lock transactionid',
        value: 8e9,
        starts: false,
      },
    ]);
    expect(about).toContain('blocker:season-rollover');
  });

  it('lists the sessions where nobody waits for another, and says so when there is none', () => {
    const { evidence } = freeze({ at: 0, active: 1, blocked: 0, heldOpen: 0, sessions: [session('2', {})], trees: [] });
    expect(only(evidence, 'table').rows).toHaveLength(1);
    expect(() => freeze(null)).toThrow(NothingToPin);
  });
});

describe('values made fewer', () => {
  it('keep the largest of each stretch, and gaps that are whole stretches long', () => {
    const values = [...Array.from({ length: 10 }, (_, at) => at), ...Array.from({ length: 10 }, () => null), 3, Number.NaN];
    expect(fewerSteps(values, 5)).toEqual({ each: 5, values: [4, 9, null, null, 3] });
    expect(fewerSteps([1, 2], 5)).toEqual({ each: 1, values: [1, 2] });
  });
});
