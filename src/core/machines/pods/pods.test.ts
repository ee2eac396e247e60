import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { findShifts } from '../../incidents/shifts.ts';
import { emptySketch } from '../../measures/sketch.ts';
import { freed, p99Of, proposal } from '../reserve.ts';
import { withoutSecretValues } from '../secrets.ts';
import { specificationDiff } from '../specificationDiff.ts';
import { measureSeries } from '../watchedMeasures.ts';
import { coresText, memoryText, readingText, shareText } from '../words.ts';
import { podEvents } from './podEvents.ts';
import { livesOf, type PodState, patternsOf } from './podPatterns.ts';
import { podByUid } from './podUids.ts';
import { podsSentence } from './podWords.ts';

const event = (at: number, reason: string) => ({ at, reason, message: '', count: 1 });
const pod = (more: Partial<PodState> = {}): PodState => ({
  name: 'notices-1',
  kin: 'notices',
  ready: true,
  phase: 'running',
  reason: '',
  restarts: 0,
  events: [],
  throttled: 0,
  ...more,
});

describe('patterns of pods', () => {
  it('come of events, of their state, and of what is measured', () => {
    expect(patternsOf(pod(), true)).toEqual([]);
    expect(patternsOf(pod({ events: [event(1, 'OOMKilled')], restarts: 4 }), true)).toEqual(['killed', 'restart loop']);
    expect(patternsOf(pod({ ready: false, events: [event(1, 'ErrImagePull')] }), true)).toEqual(['image']);
    expect(patternsOf(pod({ ready: false, phase: 'pending', events: [event(1, 'FailedScheduling')] }), false)).toEqual([
      'none up',
      'no room',
    ]);
    expect(patternsOf(pod({ ready: false, reason: 'Evicted' }), true)).toEqual(['evicted']);
    expect(patternsOf(pod({ ready: false }), true)).toEqual(['not ready']);
    expect(patternsOf(pod({ reason: 'CrashLoopBackOff', ready: false }), true)).toEqual(['restart loop']);
    expect(patternsOf(pod({ throttled: 0.2 }), true)).toEqual(['held back']);
  });

  it('give a sentence', () => {
    const said = (name: string, killed: number) => ({ name, killed, restarts: killed, ready: true, patterns: [] });
    expect(podsSentence({ total: 2, patterns: [], pods: [said('notices-1', 4), said('notices-2', 5)] })).toBe(
      'notices-1 and notices-2 were killed at the memory limit, 9 times in this window',
    );
    expect(podsSentence({ total: 9, patterns: [{ pattern: 'no room', pods: 5, names: ['a', 'b', 'c'] }], pods: [] })).toBe(
      'a, b, c and 2 more: no machine has room',
    );
    expect(podsSentence({ total: 3, patterns: [], pods: [] })).toBe('All 3 pods are ready, and none shows a pattern of trouble');
  });
});

it('a kill of which the machine and the cluster tell is one', () => {
  const own = { ...event(60_000, 'OOMKilled'), objectId: 'pod a' };
  const ofMachine = (at: number) => ({ ...event(at, 'OOMKilled'), objectId: podByUid('u1') });
  expect(podEvents([ofMachine(500_000), ofMachine(75_000), own]).map(({ at }) => at)).toEqual([60_000, 500_000]);
  expect(podEvents([ofMachine(9), ofMachine(8)]).map(({ at }) => at)).toEqual([8, 9]);
});

describe('lives', () => {
  it('are what lies between a start and an end', () => {
    const events = [event(10, 'OOMKilled'), event(15, 'Started'), event(30, 'OOMKilled'), event(40, 'Started')];
    expect(livesOf(events, 0, 50, true)).toEqual([
      { from: 0, to: 10, end: 'killed' },
      { from: 15, to: 30, end: 'killed' },
      { from: 40, to: 50, end: 'running' },
    ]);
    expect(livesOf([], 0, 50, true)).toEqual([{ from: 0, to: 50, end: 'running' }]);
    expect(livesOf([], 0, 50, false)).toEqual([]);
    expect(livesOf([event(20, 'Started')], 0, 50, true)).toEqual([
      { from: 0, to: 20, end: 'ended' },
      { from: 20, to: 50, end: 'running' },
    ]);
  });

  it('never overlap and stay in the window', () => {
    const reasons = fc.constantFrom('OOMKilled', 'Started', 'Killing', 'Pulled');
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.integer({ min: 0, max: 100 }), reasons), { maxLength: 20 }), fc.boolean(), (all, isUp) => {
        const lives = livesOf(
          all.sort(([a], [b]) => a - b).map(([at, reason]) => event(at, reason)),
          0,
          100,
          isUp,
        );
        for (const [at, life] of lives.entries()) {
          expect(life.to).toBeGreaterThanOrEqual(life.from);
          expect(life.from).toBeGreaterThanOrEqual(at === 0 ? 0 : lives[at - 1].to);
          expect(life.to).toBeLessThanOrEqual(100);
        }
      }),
    );
  });
});

describe('a reservation', () => {
  it('is proposed as the p99 of the use and a fifth more', () => {
    const values = Array.from({ length: 200 }, (_, at) => at + 1);
    expect(p99Of(values)).toBe(198);
    expect(p99Of(values.slice(0, 59))).toBeUndefined();
    expect(proposal(0.5, 'cores')).toBeCloseTo(0.6);
    expect(proposal(100 * 2 ** 20, 'bytes')).toBe(120 * 2 ** 20);
    expect(freed({ request: 1, p99: 0.5 }, 'cores')).toBeCloseTo(0.4);
    expect(freed({ request: 0.1, p99: 0.5 }, 'cores')).toBeCloseTo(-0.5);
    expect(freed({ request: undefined, p99: 0.5 }, 'cores')).toBeUndefined();
    expect(freed({ request: 1, p99: undefined }, 'cores')).toBeUndefined();
  });

  it('never proposes less than was used 99 minutes of 100', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 50, noNaN: true }), { minLength: 60, maxLength: 300 }), (values) => {
        const proposed = proposal(p99Of(values), 'cores')!;
        expect(values.filter((value) => value > proposed).length).toBeLessThanOrEqual(0.01 * values.length);
      }),
    );
  });
});

describe('the values of secrets', () => {
  const secret =
    'kind: Secret\nmetadata:\n  name: key\n  annotations:\n    last-applied-configuration: |\n      {"data":{"token":"aGlkZGVu"}}\ndata:\n  token: aGlkZGVu\n  "cert.pem": |\n    BEGIN aGlkZGVu\n    more: aGlkZGVu\nstringData: {plain: hidden}\ntype: Opaque\n';
  it('are left out, their names stay', () => {
    const kept = withoutSecretValues('secret', secret);
    expect(kept).not.toMatch(/aGlkZGVu|hidden/);
    expect(kept).toContain('token: (not kept)');
    expect(kept).toContain('"cert.pem": (not kept)');
    expect(kept).toContain('type: Opaque');
    // Whatever the sender calls it.
    expect(withoutSecretValues('thing', secret)).not.toContain('aGlkZGVu');
    expect(withoutSecretValues('settings', 'kind: settings\ndata:\n  workers: "3"\n')).toContain('workers: "3"');
  });

  it('are left out however they look', () => {
    fc.assert(
      fc.property(
        fc.dictionary(fc.stringMatching(/^[a-z.]{1,12}$/), fc.stringMatching(/^[A-Za-z0-9+/]{8,40}$/), { minKeys: 1 }),
        (data) => {
          const lines = Object.entries(data).map(([name, value]) => `  ${name}: ${value}`);
          const kept = withoutSecretValues('Secret', `kind: Secret\ndata:\n${lines.join('\n')}\nmetadata:\n  name: x\n`);
          // Names stay, though one may be another's value.
          for (const value of Object.values(data))
            if (!Object.hasOwn(data, value)) expect(kept.split(/[\s:]+/)).not.toContain(value);
          expect(kept).toContain('metadata:');
        },
      ),
    );
  });
});

describe('what changed in a specification', () => {
  it('is told by the field, wherever its line stands', () => {
    const before = 'kind: pod\ncontainers:\n  - name: a\n    image: a:1\n    memory: 10\n  - name: b\n    image: b:1\n';
    const now = 'kind: pod\nteam: Booking\ncontainers:\n  - name: a\n    image: a:2\n  - name: b\n    image: b:1\n';
    const { lines, gone } = specificationDiff(now, before);
    expect(lines.filter(({ was }) => was !== undefined)).toEqual([
      { text: 'team: Booking', was: null },
      { text: '    image: a:2', was: 'image: a:1' },
    ]);
    expect(gone).toEqual(['memory: 10']);
    expect(specificationDiff(now, undefined).lines.every(({ was }) => was === undefined)).toBe(true);
    expect(specificationDiff(now, now)).toEqual({ lines: specificationDiff(now, undefined).lines, gone: [] });
  });
});

describe('a watched measure', () => {
  it('has a shift where it is beyond its mark for a while, and none below it', () => {
    const from = 10_000;
    const values = new Map(
      Array.from({ length: 2_000 }, (_, at) => [from + at, at >= 1_600 && at < 1_645 ? 0.6 : 0.03] as const),
    );
    const [shift, ...others] = findShifts(measureSeries(values, from, from + 1_999));
    expect(others).toEqual([]);
    expect(shift.measure).toBe('failures');
    expect(Math.abs(shift.firstMinute - (from + 1_600))).toBeLessThanOrEqual(2);
    expect(shift.shifted).toBeGreaterThan(0.5);
    expect(shift.shifted).toBeLessThan(0.61);
    const quiet = measureSeries(new Map([[from, 0.09]]), from, from + 100);
    expect(quiet.minutes).toEqual([]);
    expect(emptySketch()).toEqual(measureSeries(values, from, from).minutes[0]?.sketch ?? emptySketch());
  });
});

it('figures read as people say them', () => {
  expect([coresText(6.62), coresText(0.34), coresText(0), coresText(15.74), coresText(0.001)]).toEqual([
    '6.6',
    '0.34',
    '0',
    '15.7',
    '< 0.01',
  ]);
  expect([memoryText(320 * 2 ** 20), memoryText(1.5 * 2 ** 30), memoryText(0)]).toEqual(['320 MiB', '1.5 GiB', '0 MiB']);
  expect([shareText(0.272), shareText(0.004), shareText(0.0001), shareText(0)]).toEqual(['27 %', '0.4 %', '< 0.1 %', '0 %']);
  expect([readingText('disk wait', 0.0011), readingText('killed', 3), readingText('p95', 4e8), readingText('cpu', null)]).toEqual(
    ['1.10 ms', '3 ×', '400 ms', '–'],
  );
});
