import { describe, expect, it } from 'vitest';
import { Fleet } from './fleet.ts';
import { compareHost, guiltOf, type Pair } from './guilty.ts';
import { jobRuns } from './jobRuns.ts';
import { MachineMeasures, measureSegment } from './measureColumns.ts';
import { measureSource, subjectOf } from './measures.ts';
import { LAYERS, type Layer, standingOf } from './rules.ts';
import { type Cell, type Column, cellsOf, lowestIll, type Reading, rolesOf, stretchAround } from './strata.ts';
import { aboveWords, causeWords, layersSentence } from './words.ts';
import { worstMinute } from './worstMinute.ts';

const columns: Column[] = [
  { service: 'gangway', instance: 'gangway-1', container: 'gangway-1', vm: 'vm-1a', host: 'quay-1' },
  { service: 'holds', instance: 'holds-1', container: 'holds-1', vm: 'vm-1a', host: 'quay-1' },
  { service: 'holds', instance: 'holds-2', container: 'holds-2', vm: 'vm-3a', host: 'quay-3' },
  { service: 'berths', instance: 'berths-2', container: 'berths-2', vm: 'vm-3a', host: 'quay-3' },
  { service: 'crew', instance: 'crew-1', container: 'crew-1', vm: 'vm-3b', host: 'quay-3' },
];
const callees = new Map([
  ['gangway', new Set(['holds'])],
  ['holds', new Set(['berths'])],
]);
const ill: Reading = { rule: 'cpu', value: 0.99, usual: { median: 0.3, low: 0.2, high: 0.4 }, standing: 'ill' };
const calm: Reading = { ...ill, value: 0.3, standing: 'calm' };

/** All cells, those ill that are named as `layer name`. */
function cells(...names: readonly string[]): Cell[] {
  return LAYERS.flatMap((layer) => cellsOf(layer, columns, (name) => [names.includes(`${layer} ${name}`) ? ill : calm]));
}
const find = (all: readonly Cell[], layer: Layer, name: string) => all.find((it) => it.layer === layer && it.name === name)!;

describe('the lowest ill layer', () => {
  it('is the host on which the ill ones stand; who only calls them neither speaks for it nor against', () => {
    const all = cells(
      'service holds-2',
      'service berths-2',
      'service gangway-1',
      'process holds-2',
      'vm vm-3a',
      'vm vm-3b',
      'host quay-3',
    );
    const lowest = lowestIll(all, columns, callees)!;
    expect([lowest.cell.layer, lowest.cell.name, lowest.above, lowest.of, lowest.isSure]).toEqual(['host', 'quay-3', 5, 5, true]);
    const roles = rolesOf(all, columns, lowest, callees);
    const role = (layer: Layer, name: string) => roles[all.indexOf(find(all, layer, name))];
    expect(role('host', 'quay-3')).toBe('starts');
    expect([role('vm', 'vm-3b'), role('service', 'holds-2'), role('process', 'holds-2')]).toEqual(['stands', 'stands', 'stands']);
    expect(role('service', 'gangway-1')).toBe('calls');
    expect([role('service', 'holds-1'), role('host', 'quay-1')]).toEqual(['calm', 'calm']);
  });

  it('is not sure where much that is ill stands elsewhere, and is none where only services are ill', () => {
    const spread = lowestIll(cells('service crew-1', 'process gangway-1', 'process holds-1', 'host quay-3'), columns, new Map())!;
    expect([spread.cell.name, spread.above, spread.of, spread.isSure]).toEqual(['quay-3', 1, 3, false]);
    expect(lowestIll(cells('service holds-1', 'service holds-2'), columns, callees)).toBeUndefined();
    expect(lowestIll(cells(), columns, callees)).toBeUndefined();
  });

  it('is the lower of two that explain all: a machine suffers from its host', () => {
    const lowest = lowestIll(cells('service holds-2', 'vm vm-3a', 'host quay-3'), columns, callees)!;
    expect(lowest.cell.name).toBe('quay-3');
    const one = lowestIll(cells('service holds-2', 'process holds-2', 'vm vm-3a'), columns, callees)!;
    expect(one.cell.name).toBe('vm-3a');
  });

  it('is said in words with what takes it', () => {
    const about = { layer: 'host', name: 'quay-3', services: 2, sure: true, above: 5, of: 5, alike: 0 } as const;
    const cause = { name: 'backup-all', container: '', takes: 'cores', amount: 6.62, of: 8 } as const;
    const moment = { reading: { rule: 'cpu', value: 0.99 }, at: '14:22' };
    expect(layersSentence({ ...about, cause }, 5, ['holds', 'crew'], moment)).toBe(
      'Two services suffer from quay-3: backup-all takes 6.6 of its 8 cores',
    );
    const rebuild = { name: 'array-rebuild', container: '', takes: 'disk', amount: 240 * 2 ** 20, of: 0 } as const;
    expect(causeWords({ cause: rebuild }, null)).toBe('array-rebuild reads and writes 252 MB a second');
    const java = { name: 'java', container: 'holds-2', takes: 'memory', amount: 3 * 2 ** 30, of: 8 * 2 ** 30 } as const;
    expect(causeWords({ cause: java }, null)).toBe('holds-2 holds 3.0 GiB of its 8.0 GiB of memory');
    expect(layersSentence({ ...about, cause: null }, 5, ['holds', 'crew'], moment)).toBe(
      'Two services suffer from quay-3: 99 % CPU',
    );
    expect(layersSentence({ ...about, cause: null }, 5, ['holds', 'crew'], { ...moment, narrowed: true })).toContain(
      'Two services of these requests suffer',
    );
    expect(layersSentence(null, 5, [], moment)).toBe('No layer is ill at 14:22');
    expect(layersSentence(null, 5, [], { ...moment, unknown: 3 })).toBe(
      'No layer is ill at 14:22; most instances have too few requests to judge their p95',
    );
    expect(layersSentence(null, 5, ['crew'], moment)).toBe('crew is slow at 14:22, and nothing that it stands on is ill');
    expect(layersSentence(null, 5, ['holds', 'crew'], moment)).toBe(
      'crew and holds are slow at 14:22, and nothing that they stand on is ill',
    );
    expect(layersSentence(null, 5, ['holds', 'crew', 'passes'], moment)).toMatch(/^Three services are slow/);
    expect(layersSentence(null, 0, [], moment)).toContain('No instance');
    const killed = { reading: { rule: 'killed', value: 2 }, at: '02:01' };
    expect(layersSentence({ ...about, name: 'notices-1', services: 0, cause: null }, 5, [], killed)).toBe(
      'notices-1 is ill: killed or started again; no service on it is slower than usual at 02:01',
    );
    expect(layersSentence({ ...about, name: 'notices-1', services: 0, alike: 1, cause: null }, 5, [], killed)).toBe(
      'notices-1 and 1 more of its kind are ill: killed or started again; no service on them is slower than usual at 02:01',
    );
  });

  it('is said to explain what stands on it, all of it or a part, and nothing where nothing is ill', () => {
    expect(aboveWords({ above: 5, of: 5, sure: true })).toBe('5 of 5 ill cells above stand on it');
    expect(aboveWords({ above: 1, of: 4, sure: false })).toBe(
      '1 of 4 ill cells above stands on it: it does not explain all of them',
    );
    expect(aboveWords({ above: 1, of: 1, sure: true })).toBe('1 of 1 ill cell above stands on it');
    expect(aboveWords({ above: 0, of: 0, sure: false })).toBe('Nothing above it is ill');
  });
});

describe('a standing', () => {
  it('is ill only beyond both the usual range and the mark', () => {
    const usual = { median: 0.95, low: 0.9, high: 0.97 };
    expect(standingOf(0.96, usual, 0.9)).toBe('calm');
    expect(standingOf(0.99, usual, 0.9)).toBe('ill');
    expect(standingOf(0.5, { median: 0.1, low: 0, high: 0.2 }, 0.9)).toBe('calm');
    expect(standingOf(0.99, undefined, 0.9)).toBe('unknown');
    expect(standingOf(Number.NaN, usual, 0.9)).toBe('unknown');
  });

  it('lasts as long as it is ill but for short gaps', () => {
    const isIll = (minute: number) => (minute >= 10 && minute <= 20 && minute !== 14) || minute === 40;
    expect(stretchAround(isIll, 15, 60)).toEqual({ first: 10, last: 20 });
  });

  it('is shown at the middle of the worst stretch', () => {
    const block = (at: number, below: number, services = 0) => ({ first: 5 * at, end: 5 * at + 5, below, services });
    expect(worstMinute([block(0, 0), block(1, 2), block(2, 7), block(3, 6), block(4, 0)], 25)).toBe(15);
    expect(worstMinute([block(0, 0), block(1, 0)], 10)).toBe(5);
  });
});

/** Readings of one virtual machine for forty minutes, the last ten of which something is stolen. */
function stolenFleet(stolen: number): Fleet {
  const measures = (minutes: number, of: (minute: number) => number) => {
    const subject = subjectOf('host', 'agent', { 'host.name': 'vm-3a' })!;
    const values = (value: (minute: number) => number) => Array.from({ length: minutes }, (_, at) => value(at));
    const known = new MachineMeasures(0, minutes);
    known.add(
      measureSegment(
        [
          { subject, source: measureSource('system.cpu.utilization', { 'cpu.mode': 'steal' })!, part: '', values: values(of) },
          {
            subject,
            source: measureSource('system.cpu.utilization', { 'cpu.mode': 'user' })!,
            part: '',
            values: values(() => 0.1),
          },
        ],
        minutes,
      ),
      0,
    );
    return known;
  };
  return new Fleet(
    measures(40, (at) => (at >= 30 ? stolen : 0)),
    measures(40, () => 0.001),
    new Map(),
  );
}

describe('a fleet', () => {
  it('reads what a machine was not given as a part of what it wanted', () => {
    const [reading] = stolenFleet(0.3).readings('vm', 'vm-3a', undefined, 35);
    expect([reading.rule, reading.standing]).toEqual(['steal', 'ill']);
    expect(reading.value).toBeCloseTo(0.75);
    expect(stolenFleet(0.3).isIll('vm', 'vm-3a', undefined, 0, 5)).toBe(false);
    expect(stolenFleet(0.005).isIll('vm', 'vm-3a', undefined, 33, 38)).toBe(false);
    expect(stolenFleet(0.3).isIll('vm', 'another', undefined, 33, 38)).toBe(false);
  });
});

/** A service whose requests take so many times as long on the host, in some blocks. */
function pairs(ratio: number, blocks: number, calls: number): Pair[] {
  return Array.from({ length: blocks }, (_, block) => {
    const each = 1e6 * (1 + block / 10);
    return {
      service: block % 2 === 0 ? 'holds' : 'berths',
      block,
      here: { calls, ns: calls * each * ratio * (1 + 0.02 * Math.sin(block)) },
      elsewhere: { calls: 3 * calls, ns: 3 * calls * each },
    };
  });
}

describe('the guilt of a host', () => {
  it('is how much longer like requests took there, with its interval', () => {
    const found = compareHost(pairs(3, 12, 40))!;
    expect(found.ratio).toBeCloseTo(3, 1);
    expect(found.interval[0]).toBeLessThan(3);
    expect(found.interval[1]).toBeGreaterThan(3);
    expect(found.requests).toBe(480);
    expect(guiltOf(found, undefined)).toBe('guilty');
    // It was always slower there.
    expect(guiltOf(found, compareHost(pairs(2.9, 12, 40)))).toBe('not guilty');
    expect(guiltOf(compareHost(pairs(1, 12, 40)), undefined)).toBe('not guilty');
  });

  it('is not known without like requests elsewhere, whatever else is slow', () => {
    expect(compareHost(pairs(3, 2, 40))).toBeUndefined();
    expect(compareHost(pairs(3, 12, 2))).toBeUndefined();
    expect(guiltOf(undefined, undefined)).toBe('not known');
  });

  it('does not come of another mix of services', () => {
    // The host has mostly the slow service, which is as slow elsewhere.
    const mixed: Pair[] = Array.from({ length: 8 }, (_, block) => [
      { service: 'slow', block, here: { calls: 90, ns: 90e9 }, elsewhere: { calls: 10, ns: 10e9 } },
      { service: 'fast', block, here: { calls: 10, ns: 10e6 }, elsewhere: { calls: 90, ns: 90e6 } },
    ]).flat();
    expect(compareHost(mixed)!.ratio).toBeCloseTo(1, 6);
  });
});

describe('the runs of a job', () => {
  it('are those that began and ended, those without a beginning, and the one that goes on', () => {
    const at = (ms: number, reason: string) => ({ at: ms, reason, message: reason });
    expect(jobRuns([at(1, 'done'), at(5, 'began'), at(9, 'done'), at(20, 'began')])).toEqual([
      { from: 1, to: 1, message: 'done' },
      { from: 5, to: 9, message: 'done' },
      { from: 20, to: null, message: '' },
    ]);
  });
});
