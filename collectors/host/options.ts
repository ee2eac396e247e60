import { hostname } from 'node:os';
import { parseArgs } from 'node:util';
import type { Roots } from './files.ts';

/** How the collector was asked to run. */
export interface HostOptions {
  /** Where OTLP is sent to. */
  readonly to: string;
  /** How the machine is called. */
  readonly name: string;
  readonly type: 'host' | 'vm';
  /** Milliseconds between two readings. */
  readonly everyMs: number;
  readonly roots: Roots;
  readonly check: boolean;
}

/** Reads the command line of `./dusk collect host`. @throws Error when an option is not usable */
export function hostOptions(args: readonly string[]): HostOptions {
  const { values } = parseArgs({
    args: [...args],
    options: {
      to: { type: 'string', default: 'http://127.0.0.1:4680' },
      name: { type: 'string' },
      vm: { type: 'boolean', default: false },
      every: { type: 'string', default: '15s' },
      proc: { type: 'string', default: '/proc' },
      sys: { type: 'string', default: '/sys' },
      etc: { type: 'string', default: '/etc' },
      check: { type: 'boolean', default: false },
    },
  });
  const every = /^(\d+)s$/.exec(values.every);
  const everyMs = every ? Number(every[1]) * 1000 : Number.NaN;
  if (!(everyMs >= 1_000 && everyMs <= 60_000)) throw new Error(`--every ${values.every} is no time from 1s to 60s`);
  const { proc, sys, etc } = values;
  return {
    to: values.to,
    name: values.name ?? hostname(),
    type: values.vm ? 'vm' : 'host',
    everyMs,
    roots: { proc, sys, etc },
    check: values.check,
  };
}
