import { describe, expect, it } from 'vitest';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { mainRow, mainSpan, story } from './story.ts';
import { columnsOf, percentOf } from './timeline/columns.ts';

const ms = 1e6;
/** A roster that asks for each of twelve crew members, in 100 ms. */
const roster: TraceTimeline = {
  running: [],
  traceId: 'a'.repeat(32),
  traces: ['a'.repeat(32)],
  start: '2026-05-02T14:02:00.000000000Z',
  durationNs: 100 * ms,
  services: ['crew', 'gangway'],
  operations: ['GET /roster', 'SELECT crew_member', 'quote'],
  spans: {
    id: Array.from({ length: 14 }, (_, at) => String(at)),
    parent: [-1, 0, ...Array.from({ length: 12 }, () => 1)],
    service: [1, ...Array.from({ length: 13 }, () => 0)],
    operation: [0, 0, ...Array.from({ length: 12 }, () => 1)],
    kind: [2, 2, ...Array.from({ length: 12 }, () => 3)],
    startNs: [0, 2 * ms, ...Array.from({ length: 12 }, (_, at) => (4 + 5 * at) * ms)],
    durationNs: [100 * ms, 96 * ms, ...Array.from({ length: 12 }, () => 5 * ms)],
    selfNs: [4 * ms, 36 * ms, ...Array.from({ length: 12 }, () => 5 * ms)],
  },
  traceOf: [],
  failures: [],
  chains: [],
  retried: [],
  attempts: [],
  gaveUp: [],
  cancelled: [],
  path: {
    span: [0, 1, ...Array.from({ length: 12 }, (_, at) => at + 2), 1, 0],
    startNs: [0, 2 * ms, ...Array.from({ length: 12 }, (_, at) => (4 + 5 * at) * ms), 64 * ms, 98 * ms],
    queued: [],
    endNs: [2 * ms, 4 * ms, ...Array.from({ length: 12 }, (_, at) => (9 + 5 * at) * ms), 98 * ms, 100 * ms],
  },
  ledger: [
    { party: 'manifest-db', kind: 'db', durationNs: 60 * ms, share: 0.6 },
    { party: 'crew', kind: 'own', durationNs: 36 * ms, share: 0.36 },
    { party: 'gangway', kind: 'own', durationNs: 4 * ms, share: 0.04 },
  ],
  litBy: [Array.from({ length: 12 }, (_, at) => at + 2), [1], [0]],
  folds: [
    {
      members: Array.from({ length: 12 }, (_, at) => at + 2),
      totalNs: 60 * ms,
      minNs: 5 * ms,
      medianNs: 5 * ms,
      maxNs: 5 * ms,
      onPathNs: 60 * ms,
      failed: 0,
      manySmall: true,
    },
  ],
  waits: [],
  queues: [],
  events: { span: [], startNs: [], name: [] },
  hasMessages: false,
  complete: true,
  problems: [],
};

describe('the story of a trace', () => {
  it('says where most of the time went, and the pattern behind it', () => {
    expect(story(roster)).toEqual([
      { text: '60.0 ms of it is manifest-db statement running, most in SELECT crew_member', span: 2 },
      { text: 'SELECT crew_member is asked 12 times, one small query after the other, 60.0 ms in all', span: 2 },
    ]);
    expect(mainSpan({ ...roster, litBy: [[0, 1], [2]] })).toBe(1);
    expect(mainRow(roster)).toBe(-1);
  });

  it('says nothing where nothing stands out', () => {
    const even = roster.ledger.map((line) => ({ ...line, share: 0.1 }));
    expect(story({ ...roster, ledger: even, folds: [] })).toEqual([]);
  });

  it('tells waits in queues and at the database, attempts, and what was given up', () => {
    const told = story({
      ...roster,
      ledger: [],
      folds: [],
      queues: [{ producer: 0, consumer: 1, destination: 'notice-queue', startNs: 0, endNs: 40 * ms }],
      waits: [{ span: 1, samples: 4, lock: 0.75, io: 0, event: 'transactionid' }],
      attempts: [{ tries: [2, 3], madeGood: false }],
      gaveUp: [{ caller: 0, callee: 1, wentOnNs: 3 * ms }],
    });
    expect(told.map(({ text }) => text)).toEqual([
      'a message waited 40.0 ms in notice-queue until crew took it',
      'GET /roster waited for a lock (transactionid) in 75 % of its samples',
      'SELECT crew_member was tried 2 times by crew, in vain',
    ]);
    expect(story({ ...roster, ledger: [], folds: [], gaveUp: [{ caller: 0, callee: 1, wentOnNs: 3 * ms }] })[0].text).toBe(
      'gangway gave GET /roster up; crew went on for 3.00 ms',
    );
  });
});

describe('columns', () => {
  it('show own time, part of the path, the place among its like, and attributes', () => {
    const usual = { p50Ns: 1, calls: 9, shareBelow: () => 0.9951 };
    const columns = columnsOf(
      ['own time', 'on path', 'among its like', 'deck'],
      roster,
      () => usual,
      new Map([['deck', [{ spanId: '1', text: 'C' }]]]),
    );
    expect(columns.map(({ textOf }) => textOf(1))).toEqual(['36.0 ms', '36.0 ms', '99.5 %', 'C']);
    expect(columns[3].textOf(0)).toBe('');
  });

  it('never say all for less than all', () => {
    expect([percentOf(0.5), percentOf(0.9999), percentOf(1), percentOf(0)]).toEqual(['50 %', '99.9 %', '100 %', '0 %']);
  });
});
