import { parseArgs } from 'node:util';

const MINUTE_MS = 60_000;
const INCIDENTS = ['known', 'random', 'hosts', 'none'] as const;

/** What the demo is asked for. */
export interface DemoOptions {
  /** The address of the application. */
  readonly to: string;
  /** A folder for files, instead of sending. */
  readonly out: string | undefined;
  readonly truth: string | undefined;
  readonly endMs: number;
  readonly hours: number;
  readonly quietHours: number;
  readonly seed: number;
  readonly scale: number;
  readonly incidents: (typeof INCIDENTS)[number];
  readonly isLive: boolean;
  readonly isLiveOnly: boolean;
  /** The file in which faults are switched on. */
  readonly control: string | undefined;
  /** A fault to switch on in the demo that runs, and for how long. */
  readonly inject: { readonly name: string; readonly forMs: number; readonly forText: string } | undefined;
  readonly data: string;
}

/** Reads the options of a command line. @throws Error for one that is not there, or has a value that it cannot have */
export function demoOptions(args: readonly string[]): DemoOptions {
  const { values } = parseArgs({
    args: [...args],
    options: {
      to: { type: 'string', default: 'http://127.0.0.1:4680' },
      out: { type: 'string' },
      end: { type: 'string' },
      seed: { type: 'string', default: '1' },
      hours: { type: 'string', default: '24' },
      'quiet-hours': { type: 'string', default: '0' },
      scale: { type: 'string', default: '1' },
      incidents: { type: 'string', default: 'known' },
      truth: { type: 'string' },
      live: { type: 'boolean', default: false },
      'live-only': { type: 'boolean', default: false },
      control: { type: 'string' },
      inject: { type: 'string' },
      for: { type: 'string', default: '10m' },
      data: { type: 'string', default: '.dusk' },
    },
  });
  const endMs = values.end === undefined ? Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS : Date.parse(values.end);
  if (Number.isNaN(endMs)) throw new Error(`--end ${values.end} is not a time`);
  const incidents = INCIDENTS.find((it) => it === values.incidents);
  if (!incidents) throw new Error(`--incidents ${values.incidents}: say known, random, hosts or none`);
  return {
    to: values.to,
    out: values.out,
    truth: values.truth,
    endMs,
    seed: number('seed', values.seed, -(2 ** 31), 2 ** 31 - 1, true),
    hours: number('hours', values.hours, 0.05, 24 * 14),
    quietHours: number('quiet-hours', values['quiet-hours'], 0, 24 * 14),
    scale: number('scale', values.scale, 0.01, 1000),
    incidents,
    isLive: values.live,
    isLiveOnly: values['live-only'],
    control: values.control,
    inject: values.inject ? { name: values.inject, forMs: amountOf(values.for), forText: values.for } : undefined,
    data: values.data,
  };
}

function amountOf(text: string): number {
  const amount = /^(\d+)(s|m|h)$/.exec(text);
  if (!amount) throw new Error(`--for ${text} is no time such as 90s, 10m or 1h`);
  return Number(amount[1]) * { s: 1000, m: MINUTE_MS, h: 60 * MINUTE_MS }[amount[2] as 's' | 'm' | 'h'];
}

function number(name: string, text: string, least: number, most: number, isWhole = false): number {
  const value = Number(text);
  if (text.trim() === '' || !(value >= least && value <= most) || (isWhole && !Number.isInteger(value)))
    throw new Error(`--${name} ${text} is not a${isWhole ? ' whole' : ''} number from ${least} to ${most}`);
  return value;
}
