import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What is looked at of pools; all of it stands in the address. */
export interface PoolOptions {
  /** The pool that is drawn; empty for the one with the longest waits. */
  readonly service: string;
  readonly pool: string;
  /** The size that is tried; undefined for the smallest that suffices. */
  readonly tried: number | undefined;
  /** The p95 wait that is wanted, milliseconds. */
  readonly target: number;
}

const TARGET = 200;
export const TARGETS = [20, 50, 100, 200, 500, 1000, 2000];

export const POOL_OPTIONS: AddressedOptions<PoolOptions> = {
  names: ['service', 'pool', 'tried', 'target'],
  read: (parameters) => {
    const tried = Number(parameters.get('tried'));
    const target = Number(parameters.get('target'));
    return {
      service: parameters.get('service') ?? '',
      pool: parameters.get('pool') ?? '',
      tried: Number.isInteger(tried) && tried > 0 ? tried : undefined,
      target: TARGETS.includes(target) ? target : TARGET,
    };
  },
  write: ({ service, pool, tried, target }) => ({
    service: service || undefined,
    pool: pool || undefined,
    tried: tried === undefined ? undefined : String(tried),
    target: target === TARGET ? undefined : String(target),
  }),
};
