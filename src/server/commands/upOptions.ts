import { existsSync } from 'node:fs';
import { isIP } from 'node:net';
import { parseArgs } from 'node:util';
import { isLoopback } from '../requests/hostNames.ts';
import type { Reach } from '../startApplication.ts';
import { rangesOf } from '../webhooks/reachable.ts';

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
  /** How people and senders reach it. */
  readonly reach: Reach;
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
      accounts: { type: 'boolean', default: false },
      address: { type: 'string' },
      name: { type: 'string', multiple: true, default: [] },
      proxy: { type: 'string', multiple: true, default: [] },
      'webhook-allow': { type: 'string', multiple: true, default: [] },
      'tls-cert': { type: 'string' },
      'tls-key': { type: 'string' },
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
    reach: readReach(values),
    fresh: values.fresh,
    yes: values.yes,
  };
}

interface ReachValues {
  readonly host: string;
  readonly accounts: boolean;
  readonly address?: string;
  readonly name: readonly string[];
  readonly proxy: readonly string[];
  readonly 'webhook-allow': readonly string[];
  readonly 'tls-cert'?: string;
  readonly 'tls-key'?: string;
}

const NAME = /^(?=.{1,253}$)[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$/i;

/** Whoever can be reached by others asks who they are: only on loopback, and by its names alone, are there no accounts. */
function readReach(values: ReachValues): Reach {
  const { host, accounts, address, name: names, proxy: proxies, 'tls-cert': cert, 'tls-key': key } = values;
  for (const name of names)
    if (!NAME.test(name)) throw new Error(`--name ${name} is not the name of a host, such as lantern.example`);
  for (const proxy of proxies) if (isIP(proxy) === 0) throw new Error(`--proxy ${proxy} is not an IP address`);
  if (address !== undefined && !/^https?:\/\/[^/?#@]+\/?$/.test(address))
    throw new Error(`--address ${address} is not an address such as https://lantern.example`);
  try {
    rangesOf(values['webhook-allow']);
  } catch (error) {
    throw new Error(`--webhook-allow: ${(error as Error).message}`);
  }
  if ((cert === undefined) !== (key === undefined)) throw new Error('--tls-cert and --tls-key go together');
  for (const file of [cert, key]) if (file !== undefined && !existsSync(file)) throw new Error(`there is no file ${file}`);
  return {
    accounts:
      accounts || !isLoopback(host) || address !== undefined || names.length > 0 || proxies.length > 0 || cert !== undefined,
    ...(address === undefined ? {} : { address: address.replace(/\/$/, '') }),
    names,
    proxies,
    webhookAllow: values['webhook-allow'],
    ...(cert !== undefined && key !== undefined ? { tls: { cert, key } } : {}),
  };
}
