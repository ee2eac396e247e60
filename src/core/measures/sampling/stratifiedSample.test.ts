import { describe, expect, it } from 'vitest';
import { StratifiedSample } from './stratifiedSample.ts';

/** Ids as senders make them; 16 bytes. */
const IDS: Readonly<Record<string, (at: number, random: () => number) => Uint8Array>> = {
  random: (_, random) => Uint8Array.from({ length: 16 }, () => Math.floor(random() * 256)),
  'time-ordered': (at, random) => {
    const id = Uint8Array.from({ length: 16 }, () => Math.floor(random() * 256));
    new DataView(id.buffer).setUint32(0, at);
    return id;
  },
  counted: (at) => {
    const id = new Uint8Array(16);
    new DataView(id.buffer).setUint32(12, at);
    return id;
  },
  'with a prefix of their sender': (at, random) => {
    const id = Uint8Array.from({ length: 16 }, () => Math.floor(random() * 256));
    id.fill(at % 2 === 0 ? 1 : 200, 0, 8);
    return id;
  },
};

const COUNT = 40_000;
const MOST = 2_000;

function randomFrom(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

describe.each(Object.entries(IDS))('a sample of requests with %s ids', (_, idOf) => {
  const random = randomFrom(7);
  // Later requests are slower, and one in fifty fails: a sample of the oldest would know neither.
  const requests = Array.from({ length: COUNT }, (__, at) => ({
    at,
    id: idOf(at, random),
    durationNs: Math.exp(13 + (5 * at) / COUNT + random()),
    failed: random() < 0.02,
  }));
  const sample = new StratifiedSample<(typeof requests)[number]>(MOST);
  for (const it of requests) sample.add({ idBytes: it.id, idAt: 0, durationNs: it.durationNs, outcome: it.failed ? 2 : 0 }, it);
  const taken = sample.taken();
  const sum = (of: (it: (typeof requests)[number]) => number) =>
    taken.reduce((all, { item, weight }) => all + weight * of(item), 0);

  it('is no larger than asked for, and its weights sum to all', () => {
    expect(taken.length).toBeLessThanOrEqual(MOST);
    expect(taken.length).toBeGreaterThan(MOST / 2);
    expect(sum(() => 1)).toBeCloseTo(COUNT, 6);
  });

  it('has the mean duration, the failed and the time of all, within its error', () => {
    const mean = requests.reduce((all, { durationNs }) => all + durationNs, 0) / COUNT;
    expect(sum(({ durationNs }) => durationNs) / COUNT / mean).toBeCloseTo(1, 1);
    // Outcomes are strata of their own: their number is exact.
    expect(sum(({ failed }) => Number(failed))).toBeCloseTo(requests.filter(({ failed }) => failed).length, 6);
    // The middle of the times: a sample of the oldest would be far off.
    expect(sum(({ at }) => at) / COUNT / COUNT).toBeGreaterThan(0.48);
    expect(sum(({ at }) => at) / COUNT / COUNT).toBeLessThan(0.52);
  });

  it('is the same for the same requests in another order', () => {
    const again = new StratifiedSample<(typeof requests)[number]>(MOST);
    for (const it of [...requests].reverse())
      again.add({ idBytes: it.id, idAt: 0, durationNs: it.durationNs, outcome: it.failed ? 2 : 0 }, it);
    const idsOf = (of: typeof taken) => of.map(({ item }) => item.at).sort((a, b) => a - b);
    expect(idsOf(again.taken())).toEqual(idsOf(taken));
  });
});

describe('drawn many times from requests that all fit', () => {
  it('takes each as often as any other', () => {
    const random = randomFrom(11);
    const counts = new Float64Array(50);
    const DRAWS = 4_000;
    for (let draw = 0; draw < DRAWS; draw++) {
      const sample = new StratifiedSample<number>(10);
      for (let at = 0; at < 50; at++) sample.add({ idBytes: IDS.random(at, random), idAt: 0, durationNs: 1000, outcome: 0 }, at);
      for (const { item } of sample.taken()) counts[item]++;
    }
    const expected = (DRAWS * 10) / 50;
    const chiSquare = counts.reduce((all, it) => all + (it - expected) ** 2 / expected, 0);
    // 49 degrees of freedom: beyond 94 once in ten thousand times.
    expect(chiSquare).toBeLessThan(94);
  });
});
