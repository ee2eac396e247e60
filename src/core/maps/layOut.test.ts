import { describe, expect, it } from 'vitest';
import { layOut } from './layOut.ts';
import { type MapLayout, PLATE } from './mapLayout.ts';

const IDS = ['gangway', 'holds', 'berths', 'fares', 'manifest-db'];
const CALLS = [
  ['gangway', 'holds'],
  ['holds', 'berths'],
  ['holds', 'fares'],
  ['berths', 'manifest-db'],
  ['fares', 'manifest-db'],
].map(([from, to]) => ({ key: `${from} ${to}`, from, to }));

/** A company of services that each call the three after the next ones. */
function manyCalls(services: number) {
  const ids = Array.from({ length: services }, (_, at) => `service-${at}`);
  const calls = ids.flatMap((from, at) =>
    [1, 2, 3].flatMap((step) => (ids[at + step] ? [{ key: `${at}+${step}`, from, to: ids[at + step] }] : [])),
  );
  return { ids, calls };
}

function overlaps({ plates }: MapLayout): string[] {
  const all = [...plates];
  return all.flatMap(([a, p], at) =>
    all
      .slice(at + 1)
      .filter(([, q]) => Math.abs(p.x - q.x) < PLATE.width && Math.abs(p.y - q.y) < PLATE.height)
      .map(([b]) => `${a} over ${b}`),
  );
}

describe('a map that is laid out', () => {
  it('has callees beyond their callers, to the right or down, and no plate over another', async () => {
    const right = await layOut(IDS, CALLS, 'right');
    const down = await layOut(IDS, CALLS, 'down');
    for (const { from, to } of CALLS) {
      expect(right.plates.get(to)!.x).toBeGreaterThan(right.plates.get(from)!.x + PLATE.width);
      expect(down.plates.get(to)!.y).toBeGreaterThan(down.plates.get(from)!.y + PLATE.height);
    }
    expect([...overlaps(right), ...overlaps(down)]).toEqual([]);
    expect(right.width).toBeGreaterThan(right.height);
    expect(down.direction).toBe('down');
  });

  it('has ways that begin at the caller and end at the callee', async () => {
    const { plates, ways } = await layOut(IDS, CALLS, 'down');
    for (const { key, from, to } of CALLS) {
      const way = ways.get(key)!;
      expect(way[0].y).toBe(plates.get(from)!.y + PLATE.height);
      expect(way.at(-1)!.y).toBe(plates.get(to)!.y);
    }
  });

  it('is the same each time, and has a plate for what calls nobody, but no way to itself', async () => {
    const calls = [...CALLS, { key: 'itself', from: 'holds', to: 'holds' }];
    const once = await layOut([...IDS, 'alone'], calls, 'right');
    expect(await layOut([...IDS, 'alone'], calls, 'right')).toEqual(once);
    expect(once.plates.has('alone')).toBe(true);
    expect(once.ways.has('itself')).toBe(false);
  });

  it('keeps the order in which nodes of a layer stood', async () => {
    for (const direction of ['right', 'down'] as const) {
      const { plates } = await layOut(IDS, CALLS, direction);
      const across = direction === 'right' ? ('y' as const) : ('x' as const);
      const turned = new Map(plates);
      turned.set('berths', plates.get('fares')!).set('fares', plates.get('berths')!);
      const again = await layOut(IDS, CALLS, direction, turned);
      const isBefore = (it: typeof plates) => it.get('berths')![across] < it.get('fares')![across];
      expect(isBefore(again.plates)).toBe(isBefore(turned));
      expect(isBefore(again.plates)).not.toBe(isBefore(plates));
    }
  });

  it('draws long calls of a large map straight, in both directions', async () => {
    const { ids, calls } = manyCalls(150);
    for (const direction of ['right', 'down'] as const) {
      const { plates, ways } = await layOut(ids, calls, direction);
      expect(overlaps({ plates } as MapLayout)).toEqual([]);
      expect([...ways.values()].every((way) => way.length >= 2)).toBe(true);
      const long = ways.get('10+3')!;
      const [from, to] = [plates.get('service-10')!, plates.get('service-13')!];
      expect(long).toEqual(
        direction === 'right'
          ? [
              { x: from.x + PLATE.width, y: from.y + PLATE.height / 2 },
              { x: to.x, y: to.y + PLATE.height / 2 },
            ]
          : [
              { x: from.x + PLATE.width / 2, y: from.y + PLATE.height },
              { x: to.x + PLATE.width / 2, y: to.y },
            ],
      );
    }
  });
});
