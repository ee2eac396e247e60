import { describe, expect, it } from 'vitest';
import { busiest, takerOf } from './takers.ts';

const MIB = 2 ** 20;
const process = (name: string, cores: number, reads = 0, memory = 0) => ({ name, cores, reads, writes: 0, memory: memory * MIB });

describe('who takes what is short', () => {
  const processes = [
    { lit: process('java', 2.4, 1 * MIB, 900), before: process('java', 1.1, 1 * MIB, 880) },
    { lit: process('array-rebuild', 0.1, 240 * MIB, 40), before: undefined },
    { lit: process('map-press', 0.3, 0, 26_000), before: process('map-press', 0.3, 0, 200) },
  ];

  it.each([
    ['cpu', 'java', 2.4],
    ['pressure cpu', 'java', 2.4],
    ['disk wait', 'array-rebuild', 240 * MIB],
    ['vm pressure io', 'array-rebuild', 240 * MIB],
    ['pressure memory', 'map-press', 26_000 * MIB],
  ] as const)('is, where %s is ill, %s', (rule, name, amount) => {
    expect(takerOf(processes, rule)).toMatchObject({ process: { name }, amount });
  });

  it('is nobody where no process can take what is short, and where none takes more than before', () => {
    for (const rule of ['retransmits', 'disk full', 'steal', 'killed'] as const) expect(takerOf(processes, rule)).toBeUndefined();
    expect(takerOf(processes, undefined)).toBeUndefined();
    const same = processes.map(({ lit }) => ({ lit, before: lit }));
    expect(takerOf(same, 'cpu')).toBeUndefined();
  });
});

describe('the busiest', () => {
  const many = Array.from({ length: 50 }, (_, at) => process(`worker-${at}`, 1 - at / 100, 0, 100));
  const all = [...many, process('reader', 0.001, 300 * MIB, 1), process('holder', 0, 0, 60_000)];

  it('has who only reads and who only holds memory among them, in the order of their cores', () => {
    const found = busiest(all, 30);
    expect(found).toHaveLength(30);
    expect(found.map(({ name }) => name)).toEqual(expect.arrayContaining(['reader', 'holder', 'worker-0']));
    expect(found.map(({ cores }) => cores)).toEqual(found.map(({ cores }) => cores).sort((a, b) => b - a));
  });

  it('is all of them when they are few', () => {
    expect(busiest(all.slice(0, 3), 30)).toHaveLength(3);
    expect(busiest([], 30)).toEqual([]);
  });
});
