import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { MachineMeasures, MeasuresTooMany, measureSegment, type SlotSeries } from './measureColumns.ts';
import { MACHINE_METRICS, measureSource, subjectOf } from './measures.ts';
import { minuteValues } from './minuteValues.ts';
import { medianBetween, usualRange } from './usualRange.ts';

const MINUTE = 60_000;
const points = (type: string, temporality: number, all: readonly (readonly [ms: number, value: number, start?: number])[]) => ({
  type,
  temporality,
  times: all.map(([ms]) => ms),
  values: all.map(([, value]) => value),
  starts: all.map(([, , start]) => start ?? null),
});

describe('a value for each minute', () => {
  it('is the mean of a gauge, and nothing where nothing came', () => {
    const of = points('gauge', 0, [
      [1_000, 2],
      [31_000, 4],
      [2 * MINUTE + 1, 9],
    ]);
    expect(minuteValues(of, 0, 4)).toEqual([3, Number.NaN, 9, Number.NaN]);
  });

  it('is what a count grew by in a second, also where it began anew', () => {
    const cumulative = points('sum', 2, [
      [-30_000, 100],
      [30_000, 160],
      [90_000, 280],
      [150_000, 30],
    ]);
    const [first, second] = minuteValues(cumulative, 0, 3);
    // Half of the minute at one a second, half at two.
    expect(first).toBeCloseTo(1.5);
    expect(second).toBeCloseTo((30 * 2 + 30 * 0.5) / 60);
    const delta = points('sum', 1, [[MINUTE, 30, 0]]);
    expect(minuteValues(delta, 0, 2)).toEqual([0.5, Number.NaN]);
  });

  it('spreads a count over time without losing any of it', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1_000, max: 170_000 }), { minLength: 1, maxLength: 30 }), (steps) => {
        let at = 0;
        const all = steps.map((step): [number, number, number] => {
          at += step;
          return [at, step / 100, at - step];
        });
        const minutes = Math.ceil(at / MINUTE);
        const values = minuteValues(points('sum', 1, all), 0, minutes);
        // All but the last minute are known as a whole.
        const sum = values.slice(0, -1).reduce((total, value) => total + value * 60, 0);
        expect(sum).toBeCloseTo((minutes - 1) * 600, 3);
      }),
    );
  });
});

const host = { kind: 'host', name: 'quay-1', service: 'agent', host: 'quay-1', container: '' } as const;
const series = (
  metric: string,
  attributes: Record<string, string>,
  values: readonly number[],
  subject: SlotSeries['subject'] = host,
): SlotSeries => ({
  subject,
  source: measureSource(metric, attributes)!,
  part: attributes['cpu.logical_number'] ?? '',
  values,
});

describe('measures as columns', () => {
  it('bring together what is of one thing: modes are added, CPUs averaged, devices the worst', () => {
    const segment = measureSegment(
      [
        ...['0', '1'].flatMap((cpu) =>
          [
            series('system.cpu.utilization', { 'cpu.mode': 'user', 'cpu.logical_number': cpu }, [0.2, 0.4]),
            series('system.cpu.utilization', { 'cpu.mode': 'system', 'cpu.logical_number': cpu }, [0.1, 0.1]),
            series('system.cpu.utilization', { 'cpu.mode': 'idle', 'cpu.logical_number': cpu }, [0.7, 0.5]),
          ].slice(0, 2),
        ),
        series('system.filesystem.utilization', { 'system.filesystem.mountpoint': '/' }, [0.4, 0.4]),
        series('system.filesystem.utilization', { 'system.filesystem.mountpoint': '/data' }, [0.98, Number.NaN]),
        series('system.disk.operations', { 'disk.io.direction': 'read' }, [10, 0]),
        series('system.disk.operations', { 'disk.io.direction': 'write' }, [30, 0]),
        series('system.disk.operation_time', {}, [0.08, 0]),
      ],
      2,
    );
    const measures = new MachineMeasures(100, 4);
    measures.add(segment, 101);
    const of = (name: Parameters<MachineMeasures['series']>[2]) => [...(measures.series('host', 'quay-1', name) ?? [])];
    expect(of('cpu')[1]).toBeCloseTo(0.3);
    expect(of('cpu')[2]).toBeCloseTo(0.5);
    expect(of('disk full')).toEqual([Number.NaN, 0.98, 0.4, Number.NaN]);
    expect(of('disk wait')[1]).toBeCloseTo(0.002);
    // Nothing was asked of the disk: it did not make anybody wait.
    expect(of('disk wait')[2]).toBe(0);
    expect(measures.last('host', 'quay-1', 'disk full')).toBe(0.4);
    expect(measures.subjects).toEqual([host]);
  });

  it('work shares out of times, and a share of a limit that is reported seldom', () => {
    const segment = measureSegment(
      [
        series('system.cpu.time', { 'cpu.mode': 'user' }, [1, 1]),
        series('system.cpu.time', { 'cpu.mode': 'idle' }, [6, 6]),
        series('system.cpu.time', { 'cpu.mode': 'steal' }, [1, 3]),
        series('system.memory.usage', {}, [50, 60]),
        series('system.memory.limit', {}, [100, Number.NaN]),
      ],
      2,
    );
    const measures = new MachineMeasures(0, 2);
    measures.add(segment, 0);
    expect([...measures.series('host', 'quay-1', 'cpu of time')!]).toEqual([0.125, 0.1]);
    expect([...measures.series('host', 'quay-1', 'steal of time')!]).toEqual([0.125, 0.3]);
    expect([...measures.series('host', 'quay-1', 'memory of limit')!]).toEqual([0.5, 0.6]);
    expect([...measures.firstOf('host', 'quay-1', ['cpu', 'cpu of time'])!]).toEqual([0.125, 0.1]);
    expect(measures.firstOf('host', 'nobody', ['cpu'])).toBeUndefined();
  });

  it('hold what is wanted alone, and no more values than a process should', () => {
    const segment = measureSegment([series('system.memory.usage', {}, [1]), series('system.disk.operations', {}, [2])], 1);
    const some = new MachineMeasures(0, 1, ['memory used']);
    some.add(segment, 0);
    expect([some.last('host', 'quay-1', 'memory used'), some.last('host', 'quay-1', 'disk operations')]).toEqual([1, undefined]);
    expect(() => new MachineMeasures(0, 20_000_000).add(segment, 0)).toThrow(MeasuresTooMany);
  });

  it('of a pod that is known by its uid go to the pod, beside what is measured under its name', () => {
    const of = (name: string, metric: string, values: number[]): SlotSeries => ({
      subject: subjectOf('container', 'reader', {
        'host.name': 'quay-1',
        ...(name ? { 'k8s.pod.name': name } : { 'k8s.pod.uid': 'u1' }),
      })!,
      source: measureSource(metric, {})!,
      part: '',
      values,
    });
    const measures = new MachineMeasures(0, 3);
    measures.add(
      measureSegment(
        [
          of('', 'container.memory.usage', [1, 2, 3]),
          of('', 'container.memory.usage', [10, 20, 30]),
          of('', 'lantern.container.oom_kills', [0, 0, 1]),
          of('tern-1', 'container.memory.usage', [Number.NaN, 7, Number.NaN]),
        ],
        3,
      ),
      0,
    );
    expect(measures.uidsWithoutName).toEqual(['u1']);
    measures.nameThose(new Map([['u1', { name: 'tern-1', service: 'tern' }]]));
    expect(measures.uidsWithoutName).toEqual([]);
    expect(measures.subjects.map(({ name }) => name)).toEqual(['tern-1']);
    expect([...measures.series('container', 'tern-1', 'memory')!]).toEqual([11, 7, 33]);
    expect(measures.last('container', 'tern-1', 'kills')).toBe(1);
  });

  it('know whose a series is by its resource, and pass over what says nothing of machines', () => {
    expect(subjectOf('container', 'holds', { 'k8s.pod.name': 'holds-1', 'host.name': 'vm-1' })).toMatchObject({
      name: 'holds-1',
      host: 'vm-1',
    });
    expect(subjectOf('process', 'holds', { 'host.name': 'vm-1' })).toBeUndefined();
    expect(measureSource('http.server.request.duration', {})).toBeUndefined();
    expect(MACHINE_METRICS).toContain('system.pressure');
  });
});

describe('the usual range', () => {
  it('is the median and four median deviations around it, or nothing with too few values', () => {
    const range = usualRange([1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, Number.NaN], 0)!;
    expect(range).toEqual({ median: 6, low: 0, high: 18 });
    expect(usualRange([1, 2, 3], 0)).toBeUndefined();
    expect(usualRange(new Array(20).fill(0.5), 0.02)!.high).toBeCloseTo(0.52);
  });

  it('is the same as by hand for any values', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 100, noNaN: true }), { minLength: 10, maxLength: 80 }), (values) => {
        const mid = (of: readonly number[]) => {
          const sorted = [...of].sort((a, b) => a - b);
          const half = sorted.length >> 1;
          return sorted.length % 2 === 1 ? sorted[half] : (sorted[half - 1] + sorted[half]) / 2;
        };
        const middle = mid(values);
        const range = usualRange(values, 0)!;
        expect(range.median).toBeCloseTo(middle, 9);
        expect(range.high).toBeCloseTo(middle + Math.max(4 * mid(values.map((it) => Math.abs(it - middle))), 0.02 * middle), 9);
      }),
    );
  });

  it('is held against the median of some minutes', () => {
    expect(medianBetween(Float64Array.of(1, Number.NaN, 5, 3), 0, 4)).toBe(3);
    expect(medianBetween(Float64Array.of(1), 4, 9)).toBeNaN();
    expect(medianBetween(undefined, 0, 9)).toBeNaN();
  });
});
