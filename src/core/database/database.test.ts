import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BlockingHarm, blockingTrees } from './blockingTree.ts';
import { eachBlockedMoment } from './eachMoment.ts';
import { OTHER_VALUES } from './hours/hourColumns.ts';
import { cutOf, sampleInflation, topShare } from './load/cut.ts';
import { emptySeries, type LoadSeries, loadOf, loadOfSeries, noCounts } from './load/load.ts';
import { loadBegin } from './load/loadBegin.ts';
import { loadBurst } from './load/loadBurst.ts';
import { loadMove } from './load/loadMove.ts';
import { LoadSums } from './load/loadSums.ts';
import type { SampledSecond, SampledSession, SessionState } from './sampledSecond.ts';
import { sessionRows, sessionSegment } from './sessionColumns.ts';
import { parseTrail, type TrailStep, writeTrail } from './trail.ts';
import { classIndex, WAIT_CLASSES } from './waitClasses.ts';

const session = (number: string, of: Partial<SampledSession> = {}): SampledSession => ({
  session: number,
  database: 'manifest',
  user: 'app',
  program: 'manifests',
  client: 'manifests-1',
  backend: '',
  state: 'active',
  waitClass: '',
  waitEvent: '',
  statementId: 'f1',
  traceparent: '',
  blockedBy: [],
  sinceMs: 10,
  transactionMs: 20,
  ...of,
});

const second = (atMs: number, sessions: readonly SampledSession[]): SampledSecond => ({
  timeNs: BigInt(atMs) * 1_000_000n,
  system: 'postgresql',
  server: 'manifest-db',
  intervalMs: 1000,
  idle: 3,
  most: 100,
  cores: 4,
  sessions,
});

describe('the load of a server', () => {
  it('is sessions at work and waiting per moment sampled, with its sampling error', () => {
    const counts = noCounts();
    counts[classIndex('')] = 120;
    counts[classIndex('Lock')] = 480;
    const load = loadOf(counts, 300)!;
    expect(load.value).toBe(2);
    expect(load.byClass[WAIT_CLASSES.indexOf('Lock')]).toBe(1.6);
    expect(load.error).toBeCloseTo(1.96 * Math.sqrt(2 / 300), 12);
  });

  it('is not known where nothing was sampled, which is another thing than none', () => {
    expect(loadOf(noCounts(), 0)).toBeUndefined();
    expect(loadOf(noCounts(), 10)).toMatchObject({ value: 0, error: 0 });
  });

  it('leaves out sessions that wait for work, and counts what nobody knows as an extension’s', () => {
    expect(classIndex('Activity')).toBe(-1);
    expect(WAIT_CLASSES[classIndex('InjectionPoint')]).toBe('Extension');
  });
});

const states: SessionState[] = ['active', 'idle in transaction', 'fastpath function call'];
const anySession = fc.record({
  session: fc.integer({ min: 1, max: 8 }).map(String),
  state: fc.constantFrom(...states),
  waitClass: fc.constantFrom('', 'Lock', 'IO', 'Activity', 'Client'),
  statementId: fc.constantFrom('', 'a', 'b'),
  program: fc.constantFrom('', 'p', 'q'),
  blockedBy: fc.subarray(['1', '2', '3', '9']),
  traceparent: fc.constantFrom('', `00-${'a'.repeat(32)}-${'b'.repeat(16)}-01`),
  sinceMs: fc.option(fc.integer({ min: 0, max: 1e6 })),
});
const anySeconds = fc
  .array(fc.tuple(fc.integer({ min: 0, max: 59 }), fc.array(anySession, { maxLength: 6 })), { maxLength: 20 })
  .map((all) =>
    [...new Map(all)]
      .sort(([a], [b]) => a - b)
      .map(([at, sessions]) =>
        second(
          at * 1000,
          [...new Map(sessions.map((it) => [it.session, it])).values()].map((it) => session(it.session, it)),
        ),
      ),
  );

describe('sampled sessions as columns', () => {
  it('give back what was sampled, but for the span and the end of the trace', () => {
    fc.assert(
      fc.property(anySeconds, (seconds) => {
        const rows = sessionRows(sessionSegment(seconds, 0));
        const read: unknown[] = [];
        for (let row = 0; row < rows.rows; row++)
          read.push(rows.sessions.values[row] === 0 ? [rows.times[row], rows.idle(row)] : rows.session(row));
        expect(read).toEqual(
          seconds.flatMap((it) => [
            [Number(it.timeNs / 1_000_000n), it.idle],
            ...it.sessions.map((of) => ({ ...of, traceparent: '' })),
          ]),
        );
        for (let row = 0; row < rows.rows; row++) expect(['', 'a'.repeat(16)]).toContain(rows.traceAt(row));
      }),
    );
  });

  it('add up to what a recount of the sessions says, whole and narrowed', () => {
    fc.assert(
      fc.property(anySeconds, fc.boolean(), (seconds, isNarrowed) => {
        const filters = isNarrowed ? [{ dimension: 'program' as const, values: new Set(['p']) }] : [];
        const sums = new LoadSums(10_000, 50_000, 10_000, filters);
        sums.add(sessionRows(sessionSegment(seconds, 0)), 0);
        const inside = seconds.filter(({ timeNs }) => timeNs >= 10_000_000_000n && timeNs < 50_000_000_000n);
        const active = inside
          .flatMap(({ sessions }) => sessions)
          .filter(({ state, waitClass }) => state !== 'idle in transaction' && waitClass !== 'Activity')
          .filter(({ program }) => !isNarrowed || program === 'p');
        const load = loadOfSeries(sums.series);
        expect(load?.samples ?? 0).toBe(inside.length);
        expect((load?.value ?? 0) * inside.length).toBeCloseTo(active.length, 9);
        for (const id of ['', 'a', 'b'])
          expect(sums.cuts.statement.get(id)?.reduce((sum, it) => sum + it, 0) ?? 0).toBe(
            active.filter(({ statementId }) => statementId === id).length,
          );
      }),
    );
  });

  it('tell no more than two thousand values apart, and lose none of the load', () => {
    const many = Array.from({ length: 2_500 }, (_, at) => session(String(at), { program: `made up ${at}` }));
    const sums = new LoadSums(0, 10_000, 1000);
    sums.add(sessionRows(sessionSegment([second(1000, many)], 0)), 0);
    expect(sums.cuts.program.size).toBe(2_001);
    expect(sums.cuts.program.get(OTHER_VALUES)![0]).toBe(500);
  });

  it('tell a transaction that is held open as one stretch, and as two when it was away between', () => {
    const held = session('7', { state: 'idle in transaction', program: 'season-rollover', transactionMs: 1000 });
    const sums = new LoadSums(0, 100_000, 1000);
    const seen = [1, 2, 3, 40, 41].map((at) => second(at * 1000, [held]));
    sums.add(sessionRows(sessionSegment(seen, 0)), 0);
    expect(sums.heldOpen.map(({ from, to, transactionFrom }) => [from, to, transactionFrom])).toEqual([
      [1000, 3000, 0],
      [40_000, 41_000, 39_000],
    ]);
    expect(loadOfSeries(sums.series)!.value).toBe(0);
  });
});

describe('who blocks whom', () => {
  const shape = (sessions: readonly SampledSession[]) =>
    blockingTrees(sessions).map(function draw(it): unknown {
      return it.waiting.length === 0 ? it.session.session : [it.session.session, it.waiting.map(draw)];
    });

  it('is a tree from the one who waits for nobody', () => {
    const all = [
      session('4', { blockedBy: ['2'] }),
      session('1', { state: 'idle in transaction' }),
      session('2', { blockedBy: ['1'] }),
      session('3', { blockedBy: ['1'] }),
      session('5'),
    ];
    expect(shape(all)).toEqual([['1', [['2', ['4']], '3']]]);
    expect(blockingTrees(all)[0].behind).toBe(3);
  });

  it('puts a session that waits for several under one of them, once', () => {
    const all = [session('1'), session('2', { blockedBy: ['1'] }), session('3', { blockedBy: ['1', '2'] })];
    expect(shape(all)).toEqual([['1', ['2', '3']]]);
  });

  it('begins a circle anywhere, and leaves out who was not seen', () => {
    expect(shape([session('1', { blockedBy: ['2'] }), session('2', { blockedBy: ['1'] })])).toEqual([['1', ['2']]]);
    expect(shape([session('1', { blockedBy: ['99'] }), session('2', { blockedBy: ['1'] })])).toEqual([['1', ['2']]]);
    expect(shape([session('1', { blockedBy: ['1'] })])).toEqual([]);
  });

  it('has everybody who waits for somebody seen exactly once, under whom it waits for', () => {
    fc.assert(
      fc.property(fc.array(fc.subarray(['0', '1', '2', '3', '4', '5', '6']), { minLength: 1, maxLength: 7 }), (waits) => {
        const sessions = waits.map((blockedBy, at) => session(String(at), { blockedBy }));
        const numbers = new Set(sessions.map((it) => it.session));
        const found: string[] = [];
        const walk = (it: ReturnType<typeof blockingTrees>[number]): number => {
          found.push(it.session.session);
          for (const child of it.waiting) expect(child.session.blockedBy).toContain(it.session.session);
          const behind = it.waiting.reduce((sum, child) => sum + 1 + walk(child), 0);
          expect(it.behind).toBe(behind);
          return behind;
        };
        for (const tree of blockingTrees(sessions)) walk(tree);
        expect(new Set(found).size).toBe(found.length);
        const waiting = sessions.filter((it) => it.blockedBy.some((of) => of !== it.session && numbers.has(of)));
        for (const it of waiting) expect(found).toContain(it.session);
      }),
    );
  });

  it('costs the time that is waited behind each root, by the second', () => {
    const holder = session('9', { state: 'idle in transaction', program: 'season-rollover' });
    const seconds = [1, 2, 3, 4].map((at) =>
      second(
        at * 1000,
        at === 4 ? [holder] : [holder, ...['1', '2', '3'].slice(0, at).map((it) => session(it, { blockedBy: ['9'] }))],
      ),
    );
    const harm = new BlockingHarm();
    eachBlockedMoment(sessionRows(sessionSegment(seconds, 0)), 0, 1, (at, ms, sessions) => harm.add(at, ms, sessions));
    expect(harm.waitedMs).toBe(6000);
    expect(harm.roots()).toMatchObject([
      { firstMs: 1000, lastMs: 3000, waitedMs: 6000, most: 3, mostAtMs: 3000, heldOpenMs: 3000 },
    ]);
  });

  it('takes a number that comes again much later for another session', () => {
    const harm = new BlockingHarm();
    for (const at of [0, 1000, 600_000]) harm.add(at, 1000, [session('9'), session('1', { blockedBy: ['9'] })]);
    expect(harm.roots().map(({ waitedMs }) => waitedMs)).toEqual([2000, 1000]);
  });
});

const series = (values: readonly number[], perStep = 60): LoadSeries => {
  const made = emptySeries(0, values.length * 60_000, 60_000);
  for (const [at, value] of values.entries()) {
    made.samples[at] = perStep;
    made.counts[at][0] = value * perStep;
  }
  return made;
};

describe('whether a load moved', () => {
  it('up, down, or not at all', () => {
    const calm = series([2, 2.1, 1.9, 2, 2.1, 1.9, 2]);
    expect(loadMove(series([5, 5.2, 4.9, 5.1, 5, 5]), calm)).toBe('up');
    expect(loadMove(series([0.5, 0.6, 0.5, 0.4, 0.5, 0.5]), calm)).toBe('down');
    expect(loadMove(series([2.2, 2, 2.1, 2, 2.1, 2]), calm)).toBe('flat');
  });

  it('is not known of too few steps, nor where the sampler was away', () => {
    expect(loadMove(series([5, 5]), series([2, 2, 2, 2, 2]))).toBe('unknown');
    expect(loadMove(series([5, 5, 5, 5, 5], 0), series([2, 2, 2, 2, 2]))).toBe('unknown');
  });

  it('is judged by minutes: seconds that resemble each other are no more certain for being many', () => {
    // Ten minutes in which a session stays for half a minute or not at all, in steps of two seconds.
    const bursts = (level: readonly number[]): LoadSeries => {
      const made = emptySeries(0, 600_000, 2_000);
      for (let at = 0; at < 300; at++) {
        made.samples[at] = 2;
        made.counts[at][0] = 2 * level[Math.floor(at / 15) % level.length];
      }
      return made;
    };
    expect(loadMove(bursts([0, 3, 0, 0, 4, 1]), bursts([0, 0, 4, 0, 0, 1]))).toBe('flat');
    expect(loadMove(bursts([8, 9, 8, 7, 8, 9]), bursts([0, 0, 4, 0, 0, 1]))).toBe('up');
  });

  it('is called so at most once in a hundred when nothing did', () => {
    let state = 7;
    const random = () => {
      state = (state * 16_807) % 2_147_483_647;
      return state / 2_147_483_647;
    };
    let called = 0;
    for (let run = 0; run < 300; run++) {
      const noisy = () => series(Array.from({ length: 30 }, () => 2 * (0.4 + 1.2 * random())));
      if (loadMove(noisy(), noisy()) !== 'flat') called++;
    }
    expect(called).toBeLessThanOrEqual(3);
  });

  it('of an hour within a day is told by that hour, which the mean of the day hides', () => {
    // A day in steps of seven minutes, quiet but for nine of them.
    const quiet = Array.from({ length: 200 }, (_, at) => 0.06 + 0.02 * (at % 5));
    const day = quiet.map((it, at) => (at >= 150 && at < 159 ? 60 : it));
    const inSteps = (values: readonly number[]): LoadSeries => ({ ...series(values), stepMs: 420_000 });
    expect(loadMove(inSteps(day), inSteps(quiet))).toBe('flat');
    const { from, to, value, isOver } = loadBurst(inSteps(day), inSteps(quiet))!;
    expect([from, to, isOver]).toEqual([150 * 420_000, 159 * 420_000, true]);
    expect(value).toBeCloseTo(60, 6);
    // Until the end of the window it is not over.
    expect(loadBurst(inSteps(day.slice(0, 159)), inSteps(quiet))?.isOver).toBe(false);
    // The worst of two is told.
    const twice = day.map((it, at) => (at >= 20 && at < 40 ? 10 : it));
    expect(loadBurst(inSteps(twice), inSteps(quiet))?.from).toBe(150 * 420_000);
    // Two steps in a row, little more than what was there before, or a reference of few minutes: none.
    expect(loadBurst(inSteps(quiet.map((it, at) => (at === 150 || at === 151 ? 60 : it))), inSteps(quiet))).toBeUndefined();
    expect(loadBurst(inSteps(day), inSteps(quiet.map((it, at) => (at === 7 ? 50 : it))))).toBeUndefined();
    expect(loadBurst(inSteps(day), inSteps(quiet.slice(0, 19)))).toBeUndefined();
    expect(loadBurst(inSteps(quiet.map((it) => it * 1.4)), inSteps(quiet))).toBeUndefined();
    // A longer reference has coarser steps: the same are held against it, so that a peak of a minute is not held against means of seven.
    const minutes = series(Array.from({ length: 60 }, (_, at) => (at >= 30 && at < 33 ? 0.9 : 0.1)));
    expect(loadBurst(minutes, series(Array.from({ length: 60 }, () => 0.1)))?.from).toBe(30 * 60_000);
    expect(loadBurst(minutes, inSteps(quiet))).toBeUndefined();
  });

  it('has no worst part when nothing happened, at most once in a hundred', () => {
    let state = 11;
    const random = () => {
      state = (state * 16_807) % 2_147_483_647;
      return state / 2_147_483_647;
    };
    let called = 0;
    for (let run = 0; run < 300; run++) {
      const noisy = () => series(Array.from({ length: 60 }, () => (random() < 0.1 ? 6 * random() : random())));
      if (loadBurst(noisy(), noisy())) called++;
    }
    expect(called).toBeLessThanOrEqual(3);
  });

  it('began where the level changed', () => {
    expect(loadBegin(series([1, 1, 1.1, 1, 8, 8.2, 8, 7.9]))).toMatchObject({ at: 240_000 });
    expect(loadBegin(series([1, 1.4, 0.9, 1.2, 1.1, 0.8, 1.3, 1]))).toBeUndefined();
  });
});

describe('a cut of the load', () => {
  const counts = (of: Record<string, number>) =>
    new Map(Object.entries(of).map(([name, value]) => [name, Float64Array.from([value, 0, 0, 0, 0, 0, 0, 0, 0])]));

  it('has the largest first, says what grew, and what is always large is no news', () => {
    const cut = cutOf(
      { counts: counts({ always: 3000, grew: 900, small: 1 }), samples: 1000 },
      { counts: counts({ always: 3050, grew: 10 }), samples: 1000 },
      2,
      2,
    );
    expect(cut.rows.map(({ value, move }) => [value, move])).toEqual([
      ['always', 'flat'],
      ['grew', 'up'],
    ]);
    expect(cut.rest).toEqual({ values: 1, lit: 0.001, before: 0 });
    expect(topShare(cut)).toBeCloseTo(3000 / 3901, 9);
  });

  it('is surer of itself the less its samples resemble each other', () => {
    expect(sampleInflation(series([2, 2, 2, 2, 2, 2]))).toBe(1);
    expect(sampleInflation(series([0, 4, 0, 4, 0, 4]))).toBeGreaterThan(50);
  });
});

describe('a trail', () => {
  it('stands in an address and comes back from it, whatever its values', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), (program, user) => {
        const steps: TrailStep[] = [
          { dimension: 'program', value: program },
          { dimension: 'user', value: user },
        ];
        expect(parseTrail(writeTrail(steps))).toEqual(steps);
      }),
    );
  });

  it('that is none is not taken for one', () => {
    for (const text of ['statement', 'mood:x', 'program:a|program:b', 'program:%'] as const)
      expect(parseTrail(text)).toBeUndefined();
  });
});
