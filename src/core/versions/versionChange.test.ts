import { describe, expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { addCall, noCallsIn, type VersionCalls } from './versionCalls.ts';
import { versionChanges } from './versionChange.ts';

const STRETCHES = 40;

interface Made {
  /** The median, milliseconds; by stretch. */
  readonly ms: (stretch: number) => number;
  readonly failing?: number;
  readonly callsIn: (stretch: number) => number;
}

/** Calls with durations spread by half, log-normally. */
function made(seed: number, { ms, failing = 0, callsIn }: Made): VersionCalls {
  const random = randomFrom(seed);
  const part = () => (random.below(1_000_000) + 0.5) / 1_000_000;
  const normal = () => Math.sqrt(-2 * Math.log(part())) * Math.cos(2 * Math.PI * part());
  const to = noCallsIn(STRETCHES);
  for (let at = 0; at < STRETCHES; at++)
    for (let call = 0; call < callsIn(at); call++) addCall(to, at, ms(at) * 1e6 * Math.exp(0.5 * normal()), part() < failing);
  return to;
}

const first = (stretch: number) => (stretch < STRETCHES / 2 ? 50 : 0);
const second = (stretch: number) => (stretch < STRETCHES / 2 ? 0 : 50);
const always = () => 25;

describe('an operation from one version to the next', () => {
  it('is worse when it takes longer, by how much with the range that holds it', () => {
    const [change] = versionChanges([[made(1, { ms: () => 100, callsIn: first }), made(2, { ms: () => 134, callsIn: second })]]);
    expect(change).toMatchObject({ basis: 'after', verdict: 'worse', by: 'duration', calls: { older: 1000, newer: 1000 } });
    expect(change.times!.range[0]).toBeLessThan(1.34);
    expect(change.times!.range[1]).toBeGreaterThan(1.34);
    expect(change.times!.value).toBeCloseTo(1.34, 1);
  });

  it('is worse when it fails more, even when those that are left are quicker', () => {
    const [change] = versionChanges([
      [made(3, { ms: () => 100, callsIn: always }), made(4, { ms: () => 60, failing: 0.05, callsIn: always })],
    ]);
    expect(change).toMatchObject({ basis: 'beside', verdict: 'worse', by: 'failures' });
    expect(change.failing.value).toBeCloseTo(0.05, 1);
  });

  it('is better, makes no difference, or has too little data', () => {
    const changes = versionChanges([
      [made(5, { ms: () => 100, callsIn: always }), made(6, { ms: () => 80, callsIn: always })],
      [made(7, { ms: () => 100, callsIn: always }), made(8, { ms: () => 100, callsIn: always })],
      [made(9, { ms: () => 100, callsIn: () => 1 }), made(10, { ms: () => 100, callsIn: () => 1 })],
      [made(11, { ms: () => 100, callsIn: always }), noCallsIn(STRETCHES)],
    ]);
    expect(changes.map(({ verdict }) => verdict)).toEqual(['better', 'same', 'unknown', 'unknown']);
    expect(changes[3].times).toBeNull();
  });

  it('is held against calls of the same minutes where both were at work: a slow hour is nobody’s fault', () => {
    // Half of the time all is three times as slow; the newer version has most of its calls then.
    const ms = (stretch: number) => (stretch < STRETCHES / 2 ? 100 : 300);
    const [change] = versionChanges([
      [
        made(12, { ms, callsIn: (at) => (at < STRETCHES / 2 ? 90 : 30) }),
        made(13, { ms, callsIn: (at) => (at < STRETCHES / 2 ? 30 : 90) }),
      ],
    ]);
    expect(change).toMatchObject({ basis: 'beside', verdict: 'same' });
    expect(change.times!.value).toBeCloseTo(1, 1);
  });

  it('knows that calls of a bad minute are bad together', () => {
    // One minute of twenty is ten times as slow after the deployment. As single calls that would be beyond doubt.
    const [change] = versionChanges([
      [
        made(14, { ms: () => 100, callsIn: first }),
        made(15, { ms: (at) => (at === STRETCHES - 1 ? 1000 : 100), callsIn: second }),
      ],
    ]);
    expect(change.verdict).toBe('unknown');
    expect(change.times!.range[0]).toBeLessThan(1);
  });
});

it('calls at most one of a hundred that are none, and its ranges hold the truth', () => {
  let [claims, holds, n] = [0, 0, 0];
  for (let seed = 0; seed < 60; seed++) {
    const pairs = Array.from({ length: 8 }, (_, at) => {
      const side = { ms: () => 100, failing: 0.01, callsIn: at % 2 ? always : first };
      return [
        made(1000 + 100 * seed + 2 * at, side),
        made(1001 + 100 * seed + 2 * at, { ...side, callsIn: at % 2 ? always : second }),
      ] as const;
    });
    for (const { verdict, times } of versionChanges(pairs)) {
      n++;
      if (verdict === 'worse' || verdict === 'better') claims++;
      if (times!.range[0] <= 1 && times!.range[1] >= 1) holds++;
    }
  }
  expect(claims / n).toBeLessThanOrEqual(0.01);
  expect(holds / n).toBeGreaterThan(0.97);
});

it('gives the mean and the error of the two samples as a recount of single calls does', () => {
  const durations = [
    Array.from({ length: 400 }, (_, at) => 50 + ((at * 7919) % 101)),
    Array.from({ length: 400 }, (_, at) => 55 + ((at * 104729) % 113)),
  ];
  const [older, newer] = durations.map((list, side) => {
    const to = noCallsIn(STRETCHES);
    for (const [at, ms] of list.entries()) addCall(to, side === 0 ? at % 20 : 20 + (at % 20), ms * 1e6, false);
    return to;
  });
  const [{ times }] = versionChanges([[older, newer]]);
  const logs = durations.map((list) => list.map((ms) => Math.log(ms * 1e6)));
  const mean = (list: readonly number[]) => list.reduce((sum, it) => sum + it, 0) / list.length;
  const variance = (list: readonly number[]) => list.reduce((sum, it) => sum + (it - mean(list)) ** 2, 0) / (list.length - 1);
  const difference = mean(logs[1]) - mean(logs[0]);
  const error = Math.sqrt(variance(logs[0]) / 400 + variance(logs[1]) / 400);
  expect(times!.value).toBeCloseTo(Math.exp(difference), 9);
  // No narrower than that of single calls: 2.58 standard errors are 99 times in 100.
  expect(times!.range[1]).toBeGreaterThanOrEqual(Math.exp(difference + 2.57 * error));
  expect(times!.range[0]).toBeLessThanOrEqual(Math.exp(difference - 2.57 * error));
});
