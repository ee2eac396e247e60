import type { PoolDetail } from '../../api/pools/pool.ts';

type Minute = PoolDetail['instances'][number]['minutes'][number];

/** A measure of all instances together, by the minute: [epoch milliseconds, value]. */
export type Points = readonly (readonly [at: number, value: number | null])[];

/** Arrivals of all instances, a second. */
export function arrivalsOf(instances: PoolDetail['instances']): Points {
  return together(instances, (all) => all.reduce((sum, { arrivals }) => sum + arrivals, 0));
}

/** The largest of the instances' values of a measure: it is the one that hurts. */
export function worstOf(instances: PoolDetail['instances'], value: (it: Minute) => number | null): Points {
  return together(instances, (all) => {
    const known = all.flatMap((it) => value(it) ?? []);
    return known.length === 0 ? null : Math.max(...known);
  });
}

function together(instances: PoolDetail['instances'], value: (all: readonly Minute[]) => number | null): Points {
  const byMinute = new Map<number, Minute[]>();
  for (const { minutes } of instances)
    for (const it of minutes) {
      const list = byMinute.get(it.at);
      if (list) list.push(it);
      else byMinute.set(it.at, [it]);
    }
  return [...byMinute].sort(([a], [b]) => a - b).map(([at, all]) => [at, value(all)] as const);
}

/** The verdict on a size: what becomes of the queue. */
export function verdictOf(
  size: number,
  { enough, idle, least }: PoolDetail['sizing']['lit'],
): 'backlog' | 'late' | 'enough' | 'idle' {
  if (size < least) return 'backlog';
  if (enough === null || size < enough) return 'late';
  return idle !== null && size > idle ? 'idle' : 'enough';
}
