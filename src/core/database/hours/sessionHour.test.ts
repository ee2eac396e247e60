import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BlockingHarm } from '../blockingTree.ts';
import { eachBlockedMoment } from '../eachMoment.ts';
import { HolderSums } from '../holders.ts';
import { type LoadFilter, LoadSums } from '../load/loadSums.ts';
import type { SampledSecond, SampledSession } from '../sampledSecond.ts';
import { sessionRows, sessionSegment } from '../sessionColumns.ts';
import { OTHER_VALUES } from './hourColumns.ts';
import { hourSegments, isKeptOfHour, type SlotRows } from './hourSegments.ts';
import { SessionHour } from './sessionHour.ts';

const HOUR_MS = 3_600_000;
const SLOT_MS = 600_000;
const BEGINS = 7 * HOUR_MS;

const anySession = fc.record<SampledSession>({
  session: fc.constantFrom('11', '12', '13', '14'),
  database: fc.constantFrom('', 'manifest', 'sailing'),
  user: fc.constantFrom('app', 'batch'),
  program: fc.constantFrom('', 'manifests', 'season-rollover'),
  client: fc.constantFrom('manifests-1', 'manifests-2'),
  backend: fc.constant(''),
  state: fc.constantFrom('active', 'active', 'idle in transaction', 'idle'),
  waitClass: fc.constantFrom('', 'Lock', 'IO', 'Activity', 'Tide'),
  waitEvent: fc.constantFrom('', 'transactionid'),
  statementId: fc.constantFrom('', 'a', 'b'),
  traceparent: fc.bigInt({ min: 1n, max: 999n }).map((id) => `00-${id.toString(16).padStart(32, '9')}-${'7'.repeat(16)}-01`),
  blockedBy: fc.constantFrom([], [], ['11'], ['12', '13']),
  sinceMs: fc.constant(10),
  transactionMs: fc.constantFrom(null, 500),
});
const anyHour = fc
  .uniqueArray(fc.integer({ min: 0, max: 3_599 }), { maxLength: 60 })
  .chain((seconds) =>
    fc.tuple(
      fc.constant(seconds.sort((a, b) => a - b)),
      fc.array(fc.uniqueArray(anySession, { maxLength: 4, selector: ({ session }) => session }), {
        minLength: seconds.length,
        maxLength: seconds.length,
      }),
    ),
  )
  .map(([seconds, sessions]) =>
    seconds.map(
      (at, index): SampledSecond => ({
        timeNs: BigInt(BEGINS + at * 1_000) * 1_000_000n,
        system: 'postgresql',
        server: 'manifest-db',
        intervalMs: 1_000,
        idle: at % 7,
        most: 100,
        cores: 4,
        sessions: sessions[index],
      }),
    ),
  );

function slotsOf(seconds: readonly SampledSecond[]): SlotRows[] {
  return Array.from({ length: HOUR_MS / SLOT_MS }, (_, slot) => {
    const slotMs = BEGINS + slot * SLOT_MS;
    const own = seconds.filter(({ timeNs }) => Math.floor(Number(timeNs / 1_000_000n) / SLOT_MS) * SLOT_MS === slotMs);
    return { rows: sessionRows(sessionSegment(own, slotMs)), slotMs };
  });
}

const hourOf = (slots: readonly SlotRows[]) => new SessionHour(hourSegments(slots, BEGINS), BEGINS);
const FILTERS: readonly (readonly LoadFilter[])[] = [
  [],
  [{ dimension: 'program', values: new Set(['manifests']) }],
  [
    { dimension: 'class', values: new Set(['Lock']) },
    { dimension: 'statement', values: new Set(['a', '']) },
  ],
];

describe('an hour of sampled sessions that was added up', () => {
  it('comes to what its samples come to, whole and cut by several', () => {
    fc.assert(
      fc.property(anyHour, fc.constantFrom(...FILTERS), (seconds, filters) => {
        const slots = slotsOf(seconds);
        // Of a part of the load the hours are known, of all of it the minutes.
        const stepMs = filters.length > 0 ? HOUR_MS : 60_000;
        const sums = () => new LoadSums(BEGINS - HOUR_MS, BEGINS + 2 * HOUR_MS, stepMs, filters);
        const [bySample, byHour] = [sums(), sums()];
        for (const { rows, slotMs } of slots) bySample.add(rows, slotMs);
        byHour.addHour(hourOf(slots));
        const told = ({ series, firstMs, lastMs, sampledMs, idle, most, cores, heldOpen, cuts }: LoadSums) => ({
          series,
          about: [firstMs, lastMs, sampledMs, idle, most, cores],
          heldOpen: [...heldOpen].sort((a, b) => a.from - b.from || Number(a.session) - Number(b.session)),
          cuts: Object.entries(cuts).map(([name, counts]) => [name, new Map([...counts].sort(([a], [b]) => (a < b ? -1 : 1)))]),
        });
        expect(told(byHour)).toEqual(told(bySample));
      }),
    );
  });

  it('says who stood in the way, and of which statements, as its samples do', () => {
    fc.assert(
      fc.property(anyHour, (seconds) => {
        const slots = slotsOf(seconds);
        const hour = hourOf(slots);
        const [bySample, byHour] = [new BlockingHarm(), new BlockingHarm()];
        const [holders, holdersByHour] = [new HolderSums('a'), new HolderSums('a')];
        for (const { rows, slotMs } of slots)
          eachBlockedMoment(rows, slotMs, 1, (at, interval, sessions) => {
            bySample.add(at, interval, sessions);
            holders.add(sessions);
          });
        for (const root of hour.roots) byHour.join(root);
        for (const it of hour.holders) holdersByHour.join(it);
        const worst = (harm: BlockingHarm) =>
          harm
            .roots()
            .map(({ root, ...it }) => ({ ...it, session: root.session, statement: root.statementId }))
            .sort((a, b) => a.firstMs - b.firstMs || Number(a.session) - Number(b.session));
        expect(hour.moments?.waitedMs ?? 0).toBe(bySample.waitedMs);
        expect(worst(byHour)).toEqual(worst(bySample));
        const bySession = (sums: HolderSums) => sums.all().sort((a, b) => Number(a.session) - Number(b.session));
        expect(bySession(holdersByHour)).toEqual(bySession(holders));
      }),
    );
  });

  it('goes on over its end: a transaction that was held open, and a session that others waited for', () => {
    const held = (at: number): SampledSecond => ({
      timeNs: BigInt(at) * 1_000_000n,
      system: 'postgresql',
      server: 'manifest-db',
      intervalMs: 1_000,
      idle: 0,
      most: 100,
      cores: 4,
      sessions: [
        { ...SESSION, session: '7', state: 'idle in transaction', program: 'season-rollover' },
        { ...SESSION, session: '8', waitClass: 'Lock', waitEvent: 'transactionid', blockedBy: ['7'] },
      ],
    });
    const hours = [BEGINS, BEGINS + HOUR_MS].map((from) => {
      const seconds = from === BEGINS ? [from + HOUR_MS - 2_000, from + HOUR_MS - 1_000] : [from, from + 1_000];
      const rows = sessionRows(sessionSegment(seconds.map(held), from));
      return new SessionHour(hourSegments([{ rows, slotMs: from }], from), from);
    });
    const sums = new LoadSums(BEGINS, BEGINS + 2 * HOUR_MS, HOUR_MS);
    const harm = new BlockingHarm();
    for (const hour of hours) {
      sums.addHour(hour);
      for (const root of hour.roots) harm.join(root);
    }
    const [first, last] = [BEGINS + HOUR_MS - 2_000, BEGINS + HOUR_MS + 1_000];
    expect(sums.heldOpen).toMatchObject([{ session: '7', program: 'season-rollover', from: first, to: last }]);
    expect(harm.roots()).toMatchObject([{ firstMs: first, lastMs: last, waitedMs: 4_000, most: 1, heldOpenMs: 4_000 }]);
  });

  it('keeps an eighth of the traces of a statement, the same ones wherever they were seen', () => {
    const ids = Array.from({ length: 4_000 }, (_, at) => at.toString(16).padStart(16, '0'));
    const kept = ids.filter(isKeptOfHour);
    // Four standard deviations of a share of an eighth.
    expect(Math.abs(kept.length - 500)).toBeLessThan(4 * Math.sqrt(500 * (7 / 8)));
    const seconds = ids.slice(0, 400).map(
      (id, at): SampledSecond => ({
        timeNs: BigInt(BEGINS + at * 1_000) * 1_000_000n,
        system: 'postgresql',
        server: 'manifest-db',
        intervalMs: 1_000,
        idle: 0,
        most: 100,
        cores: 4,
        sessions: [{ ...SESSION, traceparent: `00-${id}${'3'.repeat(16)}-${'7'.repeat(16)}-01` }],
      }),
    );
    const hour = hourOf(slotsOf(seconds));
    expect(hour.traces('f1').sort()).toEqual(ids.slice(0, 400).filter(isKeptOfHour).sort());
    expect(hour.traces('f2')).toEqual([]);
  });

  it('has no more mixtures for wait classes that a sender makes up', () => {
    const sessions = Array.from({ length: 5_000 }, (_, at) => ({
      ...SESSION,
      session: String(at),
      statementId: OTHER_VALUES,
      waitClass: `made up ${at}`,
    }));
    const second = { timeNs: BigInt(BEGINS) * 1_000_000n, system: 'postgresql', server: 'd', intervalMs: 1_000 };
    const { mixtures } = hourOf(slotsOf([{ ...second, idle: 0, most: 100, cores: 4, sessions }]));
    expect(mixtures!.rows.to - mixtures!.rows.from).toBe(4_001);
  });

  it('keeps no more traces than it has room for, spread over the hour', () => {
    const ids = Array.from({ length: 40_000 }, (_, at) => at.toString(16).padStart(16, '0')).filter(isKeptOfHour);
    const perSecond = Math.ceil(ids.length / 3_600);
    const seconds = Array.from({ length: 3_600 }, (_, at): SampledSecond => {
      const own = ids.slice(at * perSecond, (at + 1) * perSecond);
      return {
        ...{ timeNs: BigInt(BEGINS + at * 1_000) * 1_000_000n, system: 'postgresql', server: 'd', intervalMs: 1_000 },
        ...{ idle: 0, most: 100, cores: 4 },
        sessions: own.map((id, place) => ({
          ...SESSION,
          session: String(place),
          statementId: place === 0 ? 'f1' : 'f2',
          traceparent: `00-${id}${'3'.repeat(16)}-${'7'.repeat(16)}-01`,
        })),
      };
    });
    const hour = hourOf(slotsOf(seconds));
    const kept = hour.traces('f1');
    expect(kept.length).toBeGreaterThan(1_000);
    expect(kept.length + hour.traces('f2').length).toBeLessThanOrEqual(4_002);
    // Of the last tenth of the hour as many as of the first.
    const places = kept.map((id) => ids.indexOf(id) / ids.length);
    const share = (from: number) => places.filter((it) => it >= from && it < from + 0.1).length / places.length;
    expect(Math.abs(share(0) - share(0.9))).toBeLessThan(0.05);
  });

  it('tells the largest values and mixtures apart, and loses none of the load', () => {
    const sessions = Array.from({ length: 5_000 }, (_, at) => ({ ...SESSION, session: String(at), statementId: `s${at}` }));
    const second = { timeNs: BigInt(BEGINS) * 1_000_000n, system: 'postgresql', server: 'd', intervalMs: 1_000 };
    const hour = hourOf(slotsOf([{ ...second, idle: 0, most: 100, cores: 4, sessions }]));
    const whole = new LoadSums(BEGINS, BEGINS + HOUR_MS, HOUR_MS);
    whole.addHour(hour);
    expect(whole.series.counts[0][0]).toBe(5_000);
    expect(whole.cuts.statement.size).toBe(2_001);
    expect(whole.cuts.statement.get(OTHER_VALUES)![0]).toBe(3_000);
    const ofProgram = new LoadSums(BEGINS, BEGINS + HOUR_MS, HOUR_MS, [{ dimension: 'class', values: new Set(['CPU']) }]);
    ofProgram.addHour(hour);
    expect(ofProgram.series.counts[0][0]).toBe(5_000);
    expect(ofProgram.cuts.program.get('manifests')![0]).toBe(4_000);
    expect(ofProgram.cuts.program.get(OTHER_VALUES)![0]).toBe(1_000);
  });
});

const SESSION: SampledSession = {
  session: '1',
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
};
