import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';

/** How the collector was asked to run. */
export interface CollectorOptions {
  /** Without a password. */
  readonly dsn: string;
  readonly password: string | undefined;
  /** Where OTLP is sent to. */
  readonly to: string;
  /** How the server is called. */
  readonly name: string;
  /** Milliseconds between two samples. */
  readonly everyMs: number;
  /** Whether plans of the statements with most load are asked for. */
  readonly plans: boolean;
  readonly check: boolean;
}

/**
 * Reads the command line of `./dusk collect postgres`.
 *
 * @throws Error when an option is not usable; a password on the command line is refused, since every user of the machine could read it there
 */
export function collectorOptions(args: readonly string[], environment: NodeJS.ProcessEnv = process.env): CollectorOptions {
  const { values } = parseArgs({
    args: [...args],
    options: {
      dsn: { type: 'string' },
      to: { type: 'string', default: 'http://127.0.0.1:4680' },
      name: { type: 'string' },
      every: { type: 'string', default: '1s' },
      plans: { type: 'boolean', default: false },
      check: { type: 'boolean', default: false },
      'password-file': { type: 'string' },
    },
  });
  const dsn = values.dsn ?? environment.DUSK_COLLECT_DSN;
  if (!dsn) throw new Error('--dsn is missing: postgres://USER@HOST:PORT/DATABASE, or DUSK_COLLECT_DSN in the environment');
  let url: URL;
  try {
    url = new URL(dsn);
  } catch {
    throw new Error(`--dsn ${dsn.slice(0, 100)} is no address such as postgres://USER@HOST:PORT/DATABASE`);
  }
  if (!/^postgres(ql)?:$/.test(url.protocol)) throw new Error(`--dsn begins with ${url.protocol}//, not with postgres://`);
  if (url.password !== '' && values.dsn)
    throw new Error(
      'a password on the command line can be read by every user of this machine: put it into PGPASSWORD or a file (--password-file)',
    );
  const password = values['password-file']
    ? readFileSync(values['password-file'], 'utf8').trim()
    : url.password !== ''
      ? decodeURIComponent(url.password)
      : environment.PGPASSWORD;
  url.password = '';
  const every = /^(\d+)(ms|s)$/.exec(values.every);
  const everyMs = every ? Number(every[1]) * (every[2] === 's' ? 1000 : 1) : Number.NaN;
  if (!(everyMs >= 200 && everyMs <= 60_000)) throw new Error(`--every ${values.every} is no time from 200ms to 60s`);
  return {
    dsn: url.href,
    password,
    to: values.to,
    name: values.name ?? (url.hostname || 'postgres'),
    everyMs,
    plans: values.plans,
    check: values.check,
  };
}
