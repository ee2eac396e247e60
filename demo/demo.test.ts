import { describe, expect, it } from 'vitest';
import { assemble } from '../src/core/trace/assemble.ts';
import type { Span } from '../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../src/formats/otlp/encodeProtobuf.ts';
import { simulateDay } from './day.ts';
import { chance } from './simulation/chance.ts';
import { Gate } from './simulation/gate.ts';
import { Processor } from './simulation/processor.ts';
import { type Process, Simulation } from './simulation/simulation.ts';

const END = Date.parse('2026-05-02T15:00:00Z');
const day = simulateDay({ endMs: END, hours: 3, seed: 1 });
const seconds = (span: Span) => Number(span.end - span.start) / 1e9;
const median = (values: number[]) => values.sort((a, b) => a - b)[values.length >> 1];
const solves = day.filter((span) => span.name === 'layout.solve');
const solvesOf = (version: string, ...classes: string[]) =>
  solves.filter(
    (span) => span.resource['service.version'] === version && classes.includes(String(span.attributes['ferry.vehicle_class'])),
  );

describe('the simulation', () => {
  it('gives tasks an even share of the cores', () => {
    const simulation = new Simulation();
    const processor = new Processor(simulation, 2);
    const ends: number[] = [];
    for (const work of [100, 100, 100, 400])
      simulation.start(
        (function* (): Process {
          yield* processor.compute(work);
          ends.push(simulation.now);
        })(),
      );
    simulation.run();
    // Four tasks on two cores run at half speed until three are done at 200; the last has 300 left and a core of its own.
    expect(ends).toEqual([200, 200, 200, 500]);
  });

  it('lets in as many as there is room for, the rest in order', () => {
    const simulation = new Simulation();
    const gate = new Gate(simulation, 2);
    const began: string[] = [];
    for (const name of ['a', 'b', 'c', 'd'])
      simulation.start(
        (function* (): Process {
          yield* gate.enter();
          began.push(`${name} at ${simulation.now}`);
          yield* simulation.sleep(10);
          gate.leave();
        })(),
      );
    simulation.run();
    expect(began).toEqual(['a at 0', 'b at 0', 'c at 10', 'd at 10']);
  });

  it('waits for all that run together, and passes an error on when all have ended', () => {
    const simulation = new Simulation();
    const seen: string[] = [];
    const child = function* (nanos: number, fails: boolean): Process {
      yield* simulation.sleep(nanos);
      seen.push(`${nanos}`);
      if (fails) throw new Error('lost');
    };
    simulation.start(
      (function* (): Process {
        try {
          yield* simulation.together([child(30, false), child(10, true)]);
        } catch (error) {
          seen.push(`${(error as Error).message} at ${simulation.now}`);
        }
      })(),
    );
    simulation.run();
    expect(seen).toEqual(['10', '30', 'lost at 30']);
  });

  it('obeys Little’s law: those in a queue are the rate of arrival times the time in it', () => {
    const simulation = new Simulation();
    const gate = new Gate(simulation, 3);
    const luck = chance(7);
    const count = 20_000;
    let inside = 0;
    let lastChange = 0;
    let area = 0;
    let stays = 0;
    const change = (by: number) => {
      area += inside * (simulation.now - lastChange);
      lastChange = simulation.now;
      inside += by;
    };
    simulation.start(
      (function* (): Process {
        for (let i = 0; i < count; i++) {
          yield* simulation.sleep(luck.exponential(1000));
          simulation.start(
            (function* (): Process {
              const came = simulation.now;
              change(1);
              yield* gate.enter();
              yield* simulation.sleep(luck.exponential(2500));
              gate.leave();
              change(-1);
              stays += simulation.now - came;
            })(),
          );
        }
      })(),
    );
    simulation.run();
    const meanInside = area / simulation.now;
    expect(meanInside / ((count / simulation.now) * (stays / count))).toBeCloseTo(1, 6);
    // Three servers at a load of 2.5: by Erlang's formula 6.01 are inside on average.
    expect(meanInside).toBeGreaterThan(5.1);
    expect(meanInside).toBeLessThan(7.1);
  });
});

describe('the demo data', () => {
  it('is about a hundred thousand spans of six services within three hours', () => {
    expect(day.length).toBeGreaterThan(85_000);
    expect(day.length).toBeLessThan(120_000);
    expect(new Set(day.map((span) => span.service))).toEqual(
      new Set(['gangway', 'accounts', 'holds', 'sailings', 'berths', 'manifests']),
    );
    const outside = day.filter(
      (span) => Number(span.start / 1_000_000n) < END - 3 * 3_600_000 - 10 || Number(span.end / 1_000_000n) > END,
    );
    expect(outside).toEqual([]);
  });

  it('is the same to the byte for one seed, and another for another', () => {
    const bytes = (seed: number) => Buffer.from(encodeTracesProtobuf(simulateDay({ endMs: END, hours: 0.25, seed })));
    expect(bytes(1).equals(bytes(1))).toBe(true);
    expect(bytes(1).equals(bytes(2))).toBe(false);
  });

  it('has children inside their parents, but for clocks that are off and the few spans that were lost', () => {
    const traces = new Map<string, Span[]>();
    for (const span of day) traces.set(span.traceId, [...(traces.get(span.traceId) ?? []), span]);
    const problems = new Map<string, number>();
    for (const spans of [...traces.values()].slice(0, 3000)) {
      const trace = assemble(spans)!;
      for (const { type } of trace.problems) problems.set(type, (problems.get(type) ?? 0) + 1);
      for (const { parent, start, end } of trace.nodes) {
        if (parent < 0 || trace.problems.length > 0) continue;
        expect(start).toBeGreaterThanOrEqual(trace.nodes[parent].start);
        expect(end).toBeLessThanOrEqual(trace.nodes[parent].end);
      }
    }
    expect([...problems.keys()].sort()).toEqual(['clock-skew', 'missing-parent']);
    expect(problems.get('missing-parent')).toBeLessThan(60);
  });

  it('shows berths 4.7.0 solving layouts forty times slower for coaches and freight', () => {
    const before = median(solvesOf('4.6.3', 'coach', 'freight').map(seconds));
    const after = median(solvesOf('4.7.0', 'coach', 'freight').map(seconds));
    expect(before).toBeLessThan(0.2);
    expect(after / before).toBeGreaterThan(25);
  });

  it('leaves the other vehicles as fast as they were', () => {
    const before = median(solvesOf('4.6.3', 'cycle', 'car', 'van').map(seconds));
    const after = median(solvesOf('4.7.0', 'cycle', 'car', 'van').map(seconds));
    expect(after - before).toBeLessThan(0.02);
  });

  it('is quiet before', () => {
    const quietUntil = BigInt(END - 80 * 60_000) * 1_000_000n;
    const entries = day.filter((span) => !span.parentSpanId && span.service === 'gangway' && span.start < quietUntil);
    expect(Math.max(...entries.map(seconds))).toBeLessThan(1);
    expect(entries.filter((span) => span.status === 'error').length / entries.length).toBeLessThan(0.005);
  });
});
