import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomTrace } from '../../../tests/support/made/randomTrace.ts';
import { EPOCH, idOf, makeSpan, makeSpans, type Sketch, TRACE_ID } from '../../../tests/support/made/traceMaker.ts';
import { attempts, cancelledNodes, gaveUp } from '../failures/attempts.ts';
import { failureChains, failureRoles } from '../failures/failureRoles.ts';
import { sumLedgers, timeShift } from '../journeys/timeShift.ts';
import { compareTraces, nearestToMedian, type TracedPath } from './alike/compare.ts';
import { foldSiblings } from './alike/fold.ts';
import { assemble } from './assemble.ts';
import { parseTraceId, type Span } from './span.ts';
import { criticalPath } from './time/criticalPath.ts';
import { databaseWaits, type SessionSample } from './time/databaseWaits.ts';
import { joinFlow } from './time/flow.ts';
import { ledger } from './time/ledger.ts';

const traceOf = (...sketches: Sketch[]) => assemble(makeSpans(...sketches))!;
const withPath = (spans: readonly Span[]): TracedPath => {
  const trace = assemble(spans)!;
  return { trace, path: criticalPath(trace) };
};
const durationOf = ({ trace }: TracedPath) => trace.nodes[trace.roots[0]].end - trace.nodes[trace.roots[0]].start;

/** Crew members asked for one by one. */
const query = (id: number, from: number, to: number): Sketch => ({
  id,
  parent: 0,
  from,
  to,
  name: 'SELECT crew_member',
  kind: 'client',
  attributes: { 'db.system.name': 'postgresql', 'server.address': 'manifest-db' },
});

describe('like siblings', () => {
  it('are folded from four on, with count, spread and their part of the critical path', () => {
    const trace = traceOf({ id: 0, from: 0, to: 100 }, query(1, 0, 10), query(2, 10, 40), query(3, 40, 60), query(4, 50, 54), {
      id: 5,
      parent: 0,
      from: 60,
      to: 70,
      name: 'else',
    });
    const [fold, ...others] = foldSiblings(trace, criticalPath(trace));
    expect(others).toEqual([]);
    expect(fold).toMatchObject({
      parent: 0,
      totalNs: 64,
      minNs: 4,
      medianNs: 10,
      maxNs: 30,
      onPathNs: 60,
      failed: 0,
      manySmall: false,
    });
    expect(fold.members.map((at) => trace.nodes[at].span.spanId)).toEqual([1, 2, 3, 4].map(idOf));
  });

  it('are many small queries from ten calls on that take a fifth of the parent', () => {
    const queries = (count: number, each: number) =>
      Array.from({ length: count }, (_, at) => query(at + 1, at * each, (at + 1) * each));
    const many = (count: number, each: number) => {
      const trace = traceOf({ id: 0, from: 0, to: 1000 }, ...queries(count, each));
      return foldSiblings(trace, criticalPath(trace))[0].manySmall;
    };
    expect([many(10, 20), many(10, 19), many(9, 40)]).toEqual([true, false, false]);
  });

  it('agree with a plain count, for traces of every shape', () => {
    fc.assert(
      fc.property(randomTrace, (spans) => {
        const { trace, path } = withPath(spans);
        const plain: string[] = [];
        for (const [parent, node] of trace.nodes.entries())
          for (const key of new Set(node.children.map((it) => keyOf(trace.nodes[it].span)))) {
            const members = node.children.filter((it) => keyOf(trace.nodes[it].span) === key);
            if (members.length >= 4) plain.push(`${parent}: ${members.join()}`);
          }
        const folds = foldSiblings(trace, path);
        expect(folds.map(({ parent, members }) => `${parent}: ${members.join()}`).sort()).toEqual(plain.sort());
        for (const { members, totalNs, onPathNs } of folds) {
          expect(totalNs).toBe(members.reduce((sum, it) => sum + trace.nodes[it].end - trace.nodes[it].start, 0));
          const below = (it: number): boolean =>
            members.includes(it) || (trace.nodes[it].parent >= 0 && below(trace.nodes[it].parent));
          expect(onPathNs).toBe(path.filter(({ node }) => below(node)).reduce((sum, it) => sum + it.end - it.start, 0));
        }
      }),
      { numRuns: 200 },
    );
  });
});

const keyOf = ({ service, name, kind }: Span) => `${service} ${name} ${kind}`;

describe('a failing call', () => {
  const call = (id: number, from: number, to: number, failed: boolean): Sketch => ({
    id,
    parent: 0,
    from,
    to,
    name: 'quote',
    kind: 'client',
    failed,
  });

  it('that is made again is one row of attempts', () => {
    const trace = traceOf(
      { id: 0, from: 0, to: 100 },
      call(1, 0, 10, true),
      call(2, 20, 30, true),
      call(3, 40, 50, false),
      call(4, 60, 70, false),
    );
    expect(attempts(trace)).toEqual([{ parent: 0, tries: [1, 2, 3], madeGood: true }]);
  });

  it('is not answered by what ran beside it', () => {
    const trace = traceOf({ id: 0, from: 0, to: 100 }, call(1, 0, 30, true), call(2, 20, 50, false), call(3, 40, 90, true));
    expect(attempts(trace)).toEqual([{ parent: 0, tries: [1, 3], madeGood: false }]);
  });

  it('that was given up shows how long the callee went on', () => {
    const ms = 1e6;
    const trace = traceOf(
      { id: 0, from: 0, to: 20 * ms, failed: true },
      { id: 1, parent: 0, from: 1 * ms, to: 10 * ms, kind: 'client', failed: true },
      { id: 2, parent: 1, from: 2 * ms, to: 40 * ms, kind: 'server', service: 'berths' },
    );
    expect(gaveUp(trace)).toEqual([{ caller: 1, callee: 2, wentOnNs: 30 * ms }]);
  });

  it('that was cancelled says so in several ways', () => {
    const trace = traceOf(
      { id: 0, from: 0, to: 9, failed: true, attributes: { 'rpc.grpc.status_code': 1 } },
      { id: 1, parent: 0, from: 1, to: 2, kind: 'server', attributes: { 'http.response.status_code': 499 } },
      { id: 2, parent: 0, from: 3, to: 4, attributes: { 'http.response.status_code': 500 } },
    );
    const told = { ...makeSpan({ id: 3, parent: 0, from: 5, to: 6, failed: true }), statusMessage: 'context canceled' };
    expect(cancelledNodes(trace)).toEqual([0, 1]);
    expect(cancelledNodes(assemble([told])!)).toEqual([0]);
  });

  it('goes up from its origin to the last that failed with it', () => {
    const trace = traceOf(
      { id: 0, from: 0, to: 100, service: 'gangway', failed: true },
      { id: 1, parent: 0, from: 10, to: 90, service: 'holds' },
      { id: 2, parent: 1, from: 20, to: 80, service: 'manifests', failed: true },
      { id: 3, parent: 2, from: 30, to: 70, service: 'manifests', failed: true },
      { id: 4, parent: 0, from: 91, to: 92, service: 'fares', failed: true },
    );
    expect(failureChains(trace, failureRoles(trace))).toEqual([
      { party: 'manifests', spans: [3, 2, 0] },
      { party: 'fares', spans: [4, 0] },
    ]);
  });
});

describe('samples of sessions', () => {
  const sample = (at: number, waitClass: string, spanId: number | null): SessionSample => ({
    time: EPOCH + BigInt(at),
    server: 'manifest-db',
    spanId: spanId === null ? null : idOf(spanId),
    waitClass,
    waitEvent: '',
    blockedBy: [],
    statement: '',
  });

  it('put a part of a statement’s time to locks and to storage, by the span they name or the only call there was', () => {
    const trace = traceOf({ id: 0, from: 0, to: 100 }, query(1, 0, 50), query(2, 50, 90), query(3, 60, 90));
    const waits = databaseWaits(trace, [
      sample(10, 'Lock', 1),
      sample(20, 'LWLock', null),
      sample(30, 'IO', null),
      sample(40, '', 1),
      sample(70, 'Lock', null),
    ]);
    expect([...waits.keys()]).toEqual([1]);
    expect(waits.get(1)).toMatchObject({ lock: 0.5, io: 0.25 });
    const lines = ledger(trace, criticalPath(trace), (node) => waits.get(node));
    expect(lines.map(({ party, kind, durationNs }) => `${party} ${kind} ${durationNs}`)).toEqual([
      'manifest-db db 43',
      'manifest-db lock 25',
      'holds own 20',
      'manifest-db io 12',
    ]);
  });
});

describe('two traces', () => {
  it('are laid over each other by structure', () => {
    const a = withPath(
      makeSpans(
        { id: 0, from: 0, to: 100, name: 'place' },
        { id: 1, parent: 0, from: 10, to: 40, name: 'solve' },
        { id: 2, parent: 0, from: 50, to: 60, name: 'gone' },
      ),
    );
    const b = withPath(
      makeSpans(
        { id: 0, from: 5, to: 305, name: 'place' },
        { id: 1, parent: 0, from: 15, to: 115, name: 'solve' },
        { id: 2, parent: 0, from: 115, to: 215, name: 'solve' },
        { id: 3, parent: 2, from: 120, to: 200, name: 'new' },
      ),
    );
    const rows = compareTraces([a], [b]);
    expect(
      rows.map((it) => [it.operation, it.depth, it.a?.count ?? 0, it.b?.count ?? 0, it.a?.pathNs ?? 0, it.b?.pathNs ?? 0]),
    ).toEqual([
      ['place', 0, 1, 1, 60, 100],
      ['solve', 1, 1, 2, 30, 120],
      ['new', 2, 0, 1, 0, 80],
      ['gone', 1, 1, 0, 10, 0],
    ]);
    expect(rows[1].b).toMatchObject({ startNs: 10, endNs: 210, totalNs: 200 });
  });

  it('differ, row by row and line by line, by exactly the difference of their durations', () => {
    fc.assert(
      fc.property(randomTrace, randomTrace, (one, other) => {
        const [a, b] = [withPath(one), withPath(other)];
        const rows = compareTraces([a], [b]);
        const difference = rows.reduce((sum, row) => sum + (row.b?.pathNs ?? 0) - (row.a?.pathNs ?? 0), 0);
        expect(difference).toBe(durationOf(b) - durationOf(a));
        const spans = (which: 'a' | 'b') => rows.reduce((sum, row) => sum + (row[which]?.count ?? 0), 0);
        expect([spans('a'), spans('b')]).toEqual([a.trace.nodes.length, b.trace.nodes.length]);
        for (const [at, row] of rows.entries()) expect(row.parent).toBeLessThan(at);
        const lines = timeShift(sumLedgers([ledger(b.trace, b.path)]), sumLedgers([ledger(a.trace, a.path)]));
        expect(lines.reduce((sum, line) => sum + line.litNs - line.beforeNs, 0)).toBe(durationOf(b) - durationOf(a));
      }),
      { numRuns: 300 },
    );
  });

  it('a trace against itself differs nowhere', () => {
    fc.assert(
      fc.property(randomTrace, (spans) => {
        const it = withPath(spans);
        for (const { a, b } of compareTraces([it], [it])) expect(a).toEqual(b);
      }),
      { numRuns: 100 },
    );
  });

  it('may be a composite: means of what each has', () => {
    const one = (length: number) =>
      withPath(makeSpans({ id: 0, from: 0, to: length }, { id: 1, parent: 0, from: 0, to: length / 2, name: 'solve' }));
    const bare = withPath(makeSpans({ id: 0, from: 0, to: 30 }));
    const [root, solve] = compareTraces([one(100), one(200), bare], []);
    expect(root.a).toMatchObject({ count: 1, presence: 1, pathNs: (50 + 100 + 30) / 3 });
    expect(solve.a).toMatchObject({ count: 2 / 3, presence: 2 / 3, endNs: 75, pathNs: 50 });
    expect(solve.b).toBeNull();
    expect(nearestToMedian([5, 100, 40, 50, 60], 3)).toEqual([3, 2, 4]);
  });
});

describe('traces joined by messages', () => {
  const OTHER = parseTraceId('f'.repeat(32))!;
  const producer: Sketch = {
    id: 1,
    parent: 0,
    from: 10,
    to: 20,
    kind: 'producer',
    attributes: { 'messaging.destination.name': 'notice-queue' },
  };
  const consumer = (id: number, to: Sketch, from: number, until: number): Span => ({
    ...makeSpan({ id, from, to: until, kind: 'consumer', service: 'notices' }),
    traceId: OTHER,
    links: [{ traceId: TRACE_ID, spanId: idOf(to.id), traceState: '', attributes: {} }],
  });

  it('have the wait in the queue in the ledger, and sum to the whole', () => {
    const flow = joinFlow([...makeSpans({ id: 0, from: 0, to: 40 }, producer), consumer(7, producer, 500, 600)], TRACE_ID)!;
    expect(flow.waits).toEqual([{ producer: 1, consumer: 2, destination: 'notice-queue', start: 20, end: 500 }]);
    expect(flow.path.map(({ node, start, end, queue }) => [node, start, end, queue])).toEqual([
      [0, 0, 10, undefined],
      [1, 10, 20, undefined],
      [2, 20, 500, 'notice-queue'],
      [2, 500, 600, undefined],
    ]);
  });

  it('end with the root when what was taken was done before', () => {
    const flow = joinFlow([...makeSpans({ id: 0, from: 0, to: 400 }, producer), consumer(7, producer, 30, 60)], TRACE_ID)!;
    expect(flow.path.at(-1)).toMatchObject({ node: 0, end: 400 });
    expect(flow.path.reduce((sum, it) => sum + it.end - it.start, 0)).toBe(400);
  });

  it('go through queue after queue', () => {
    const second = { ...makeSpan({ id: 8, parent: 7, from: 520, to: 530, kind: 'producer' }), traceId: OTHER };
    const third = {
      ...consumer(9, { id: 8, from: 0, to: 0 }, 900, 1000),
      traceId: parseTraceId('e'.repeat(32))!,
    };
    const flow = joinFlow(
      [...makeSpans({ id: 0, from: 0, to: 40 }, producer), consumer(7, producer, 500, 600), second, third],
      TRACE_ID,
    )!;
    let at = 0;
    for (const { start, end } of flow.path) {
      expect(start).toBe(at);
      at = end;
    }
    expect(at).toBe(1000);
    expect(flow.path.filter((it) => it.queue !== undefined).map((it) => it.queue)).toEqual(['notice-queue', 'unknown']);
  });
});
