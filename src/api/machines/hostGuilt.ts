import { z } from 'zod';
import type { Pair } from '../../core/machines/guilty.ts';
import type { InstanceBlock } from '../../store/machines/instanceBlocks.ts';
import type { KnownFleet } from './fleetOf.ts';

export const comparisonAnswer = z.object({
  ratio: z.number().meta({ description: 'How many times as long they take.' }),
  interval: z.array(z.number()).length(2).meta({ description: 'The 95 % interval of the ratio.' }),
  requests: z.number(),
  before: z.number().nullable().meta({ description: 'The same ratio in the reference.' }),
});

const MINUTE_MS = 60_000;

/**
 * What each service handled on a machine and elsewhere, block by block, in the lit window between two moments (epoch milliseconds) and in
 * all of the reference.
 */
export function hostPairs(
  { columns, calls, blockMinutes }: KnownFleet,
  host: string,
  between: { from: number; to: number },
): { lit: Pair[]; before: Pair[] } {
  const firstBlock = Math.floor(between.from / MINUTE_MS / blockMinutes);
  const lastBlock = Math.ceil(between.to / MINUTE_MS / blockMinutes);
  const pairs = { lit: new Map<string, Draft>(), before: new Map<string, Draft>() };
  for (const [at, column] of columns.entries()) {
    const side = column.host === host || column.vm === host ? 'here' : 'elsewhere';
    for (const window of ['lit', 'before'] as const)
      for (const [block, it] of calls[at][window])
        if (window === 'before' || (block >= firstBlock && block < lastBlock))
          add(pairs[window], column.service, block, side, it);
  }
  return { lit: [...pairs.lit.values()], before: [...pairs.before.values()] };
}

interface Draft extends Pair {
  readonly here: { calls: number; ns: number };
  readonly elsewhere: { calls: number; ns: number };
}

function add(
  pairs: Map<string, Draft>,
  service: string,
  block: number,
  side: 'here' | 'elsewhere',
  { ok, okNs }: InstanceBlock,
): void {
  const key = `${service}\0${block}`;
  const pair = pairs.get(key) ?? { service, block, here: { calls: 0, ns: 0 }, elsewhere: { calls: 0, ns: 0 } };
  pairs.set(key, pair);
  pair[side].calls += ok;
  pair[side].ns += okNs;
}
