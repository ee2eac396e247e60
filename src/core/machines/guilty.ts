/** Requests that an instance handled in a block of minutes. */
export interface BlockOfCalls {
  readonly calls: number;
  /** How long they took together, nanoseconds. */
  readonly ns: number;
}

/** One service, block by block: what it handled on the host, and on others. */
export interface Pair {
  readonly service: string;
  readonly block: number;
  readonly here: BlockOfCalls;
  readonly elsewhere: BlockOfCalls;
}

/** How much longer requests took on a host than like ones elsewhere in the same minutes. */
export interface Comparison {
  /** 1 for no difference. */
  readonly ratio: number;
  /** The 95 % interval. */
  readonly interval: readonly [low: number, high: number];
  readonly requests: number;
}

/** Requests on either side that make a block worth comparing. */
const ENOUGH_CALLS = 5;
const ENOUGH_BLOCKS = 3;
const Z = 1.96;

/**
 * Compares within service and block, weighted by the requests on the host; the interval by leaving out one block after the other. Undefined
 * when there is nothing alike to compare with.
 */
export function compareHost(pairs: readonly Pair[]): Comparison | undefined {
  const usable = pairs.filter(({ here, elsewhere }) => here.calls >= ENOUGH_CALLS && elsewhere.calls >= ENOUGH_CALLS);
  const blocks = [...new Set(usable.map(({ block }) => block))];
  if (blocks.length < ENOUGH_BLOCKS) return undefined;
  const byBlock = blocks.map((block) => {
    let own = 0;
    let expected = 0;
    for (const { here, elsewhere } of usable.filter((it) => it.block === block)) {
      own += here.ns;
      expected += (here.calls * elsewhere.ns) / elsewhere.calls;
    }
    return { own, expected };
  });
  const [own, expected] = [sum(byBlock.map((it) => it.own)), sum(byBlock.map((it) => it.expected))];
  if (own <= 0 || expected <= 0) return undefined;
  const logs = byBlock.map((it) => Math.log((own - it.own) / (expected - it.expected)));
  const middle = sum(logs) / logs.length;
  const n = logs.length;
  const error = Math.sqrt(((n - 1) / n) * sum(logs.map((it) => (it - middle) ** 2)));
  const log = Math.log(own / expected);
  return {
    ratio: Math.exp(log),
    interval: [Math.exp(log - Z * error), Math.exp(log + Z * error)],
    requests: sum(usable.map(({ here }) => here.calls)),
  };
}

/** How guilty a host is: of slowness that like requests elsewhere did not have, and that was not there before. */
export type Guilt = 'guilty' | 'not guilty' | 'not known';

const LEAST_RATIO = 1.1;

/** @param before the same comparison in the reference: a host may always be a little slower */
export function guiltOf(lit: Comparison | undefined, before: Comparison | undefined): Guilt {
  if (!lit) return 'not known';
  const usual = before ? Math.max(1, before.ratio) : 1;
  if (lit.interval[0] > usual * 1 && lit.ratio >= LEAST_RATIO * usual) return 'guilty';
  return lit.interval[1] < LEAST_RATIO * usual || lit.ratio < LEAST_RATIO * usual ? 'not guilty' : 'not known';
}

const sum = (values: readonly number[]) => values.reduce((total, it) => total + it, 0);
