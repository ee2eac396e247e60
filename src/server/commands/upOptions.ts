import { parseArgs } from 'node:util';

export interface UpOptions {
  /** Undefined: the usual one or the next that is free. */
  readonly port: number | undefined;
  readonly host: string;
  readonly data: string;
  readonly demo: boolean;
  /** Whether the demo goes on in real time. */
  readonly live: boolean;
  /** Whether the application records what it does itself. */
  readonly traceSelf: boolean;
  /** Whether the application's own database is sampled. */
  readonly watchOwnDatabase: boolean;
  readonly fresh: boolean;
  readonly yes: boolean;
}

/** Reads the options of `up`. @throws Error that says which is wrong */
export function readUpOptions(args: string[]): UpOptions {
  const { values } = parseArgs({
    args,
    options: {
      port: { type: 'string' },
      host: { type: 'string', default: '127.0.0.1' },
      data: { type: 'string', default: '.dusk' },
      'no-demo': { type: 'boolean', default: false },
      'no-live': { type: 'boolean', default: false },
      'trace-self': { type: 'boolean', default: false },
      'watch-own-database': { type: 'boolean', default: false },
      fresh: { type: 'boolean', default: false },
      yes: { type: 'boolean', default: false },
    },
  });
  const port = values.port === undefined ? undefined : Number(values.port);
  if (port !== undefined && !(Number.isInteger(port) && port > 0 && port < 65_536))
    throw new Error(`--port ${values.port} is not a port: 1 to 65535`);
  return {
    port,
    host: values.host,
    data: values.data,
    demo: !values['no-demo'],
    live: !values['no-live'],
    traceSelf: values['trace-self'],
    watchOwnDatabase: values['watch-own-database'],
    fresh: values.fresh,
    yes: values.yes,
  };
}
