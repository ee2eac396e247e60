import { describe, expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { addCall, type CallSum, noCalls } from '../measures/callSum.ts';
import { type CallsOverTime, type InstanceCalls, standOuts } from './standOut.ts';

const { below } = randomFrom(12);

/** So many calls of about so many milliseconds, of which a share fails. */
function calls(count: number, ms: number, failing = 0): CallSum {
  const sum = noCalls();
  for (let at = 0; at < count; at++)
    addCall(sum, { durationNs: (ms * (80 + below(40)) * 1e6) / 100, failed: below(1000) < failing * 1000, clientError: false });
  return sum;
}
/** As calls of one stretch. */
const once = (sum: CallSum): CallsOverTime => new Map([[0, sum]]);
const of = (service: string, instance: string, version: string, sum: CallSum): InstanceCalls => ({
  service,
  instance,
  version,
  calls: once(sum),
});
const named = (instances: readonly InstanceCalls[]) => standOuts(instances).map(({ what, name, state }) => [what, name, state]);

describe('what stands out among the instances of a service', () => {
  it('is the slow one and the failing one, with what the others did', () => {
    const instances = [
      of('fares', 'fares-1', '2.1', calls(300, 100)),
      of('fares', 'fares-2', '2.1', calls(300, 400)),
      of('fares', 'fares-3', '2.1', calls(300, 100)),
      of('holds', 'holds-1', '5.0', calls(200, 50, 0.2)),
      of('holds', 'holds-2', '5.0', calls(200, 50)),
    ];
    const found = standOuts(instances);
    expect(found.map(({ name, state }) => [name, state])).toEqual([
      ['holds-1', 'failing'],
      ['fares-2', 'strained'],
    ]);
    expect(found[1].own.calls).toBe(300);
    expect(found[1].others.calls).toBe(600);
    expect(found[1].own.p95Ns / found[1].others.p95Ns).toBeCloseTo(4, 0);
  });

  it('is the version, and no instance of it beside', () => {
    const instances = [
      of('crew', 'crew-1', '1.8', calls(200, 50)),
      of('crew', 'crew-2', '1.9', calls(150, 300)),
      of('crew', 'crew-3', '1.9', calls(150, 300)),
      of('crew', 'crew-4', '1.8', calls(200, 50)),
    ];
    expect(named(instances)).toEqual([['version', '1.9', 'strained']]);
  });

  it('is an operation that fails more than the others do, however long each of them takes', () => {
    const ways = [
      { service: 'passes', operation: 'GET /passes/{ref}', calls: once(calls(400, 40)), hasUsual: false },
      { service: 'passes', operation: 'POST /passes', calls: once(calls(150, 900, 0.12)), hasUsual: false },
      { service: 'passes', operation: 'GET /passes/{ref}/print', calls: once(calls(200, 2_000)), hasUsual: false },
      { service: 'crew', operation: 'GET /rotas', calls: once(calls(200, 20)), hasUsual: false },
      { service: 'crew', operation: 'PUT /rotas/{week}', calls: once(calls(200, 20)), hasUsual: false },
    ];
    const found = standOuts([], ways);
    expect(found).toMatchObject([{ what: 'operation', service: 'passes', name: 'POST /passes', state: 'failing' }]);
    expect(found[0].own).toMatchObject({ calls: 150, failures: ways[1].calls.get(0)!.failures });
    expect(found[0].others).toMatchObject({ calls: 600, failures: 0 });
    // What is usual for it is known: then it is judged by that.
    expect(
      standOuts(
        [],
        ways.map((it) => ({ ...it, hasUsual: it.operation === 'POST /passes' })),
      ),
    ).toEqual([]);
  });

  it('is no operation because it is slow, nor one that is most of its service', () => {
    const slow = { service: 'passes', operation: 'GET /print', calls: once(calls(400, 4_000)), hasUsual: false };
    expect(
      standOuts([], [slow, { service: 'passes', operation: 'GET /passes', calls: once(calls(400, 40)), hasUsual: false }]),
    ).toEqual([]);
    const most = { service: 'passes', operation: 'GET /print', calls: once(calls(4_000, 40, 0.1)), hasUsual: false };
    expect(
      standOuts([], [most, { service: 'passes', operation: 'GET /passes', calls: once(calls(40, 40)), hasUsual: false }]),
    ).toEqual([]);
  });

  it('is held against the others only while there were calls of both', () => {
    const over = (...sums: [number, CallSum][]): CallsOverTime => new Map(sums);
    // The older version lived through an hour of trouble that the newer one never saw.
    const older = { ...of('crew', 'crew-1', '1.8', noCalls()), calls: over([0, calls(300, 900)], [60, calls(200, 50)]) };
    const newer = { ...of('crew', 'crew-2', '1.9', noCalls()), calls: over([60, calls(200, 50)], [120, calls(200, 50)]) };
    expect(named([older, newer])).toEqual([]);
    const worse = { ...newer, calls: over([60, calls(200, 200)], [120, calls(200, 50)]) };
    const [found] = standOuts([older, worse]);
    expect(found).toMatchObject({ what: 'version', name: '1.9', own: { calls: 200 }, others: { calls: 200 } });
    expect(['p50', 'p95']).toContain(found.changed);
  });

  it('is nothing where there is one alone, too little, or no name', () => {
    expect(named([of('fares', 'fares-1', '2.1', calls(500, 400, 0.5))])).toEqual([]);
    expect(named([of('fares', 'fares-1', '2.1', calls(500, 100)), of('fares', 'fares-2', '2.1', calls(5, 900))])).toEqual([]);
    expect(named([of('fares', '', '', calls(500, 100)), of('fares', 'fares-2', '', calls(500, 100))])).toEqual([]);
  });

  it('is nothing in 98 of 100 windows in which all are alike', () => {
    let claimed = 0;
    for (let window = 0; window < 200; window++) {
      const instances = ['a', 'b', 'c', 'd'].flatMap((service) =>
        [1, 2, 3].map((number) => of(service, `${service}-${number}`, `${number % 2}`, calls(40 + below(100), 100, 0.02))),
      );
      const ways = ['a', 'b', 'c', 'd'].flatMap((service) =>
        [1, 2, 3, 4].map((way) => ({
          service,
          operation: `GET /${way}`,
          calls: once(calls(30 + below(80), 50 * way, 0.02)),
          hasUsual: false,
        })),
      );
      if (standOuts(instances, ways).length > 0) claimed++;
    }
    expect(claimed).toBeLessThanOrEqual(4);
  });
});
