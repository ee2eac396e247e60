import { sum } from 'd3-array';
import type { Kind } from '../../../src/core/contrast/judge.ts';
import {
  type ContrastBlock,
  type ContrastSource,
  type FacetColumn,
  GROUPS,
  type Label,
} from '../../../src/core/contrast/requests/contrastSource.ts';
import { type Facet, facetKey, fitsClause, type RequestSet } from '../../../src/core/contrast/requests/requestSet.ts';
import { randomFrom } from './random.ts';

/** A made-up request of one of two populations. */
export interface MadeRequest {
  readonly isA: boolean;
  /** Nanoseconds. */
  readonly durationNs: number;
  readonly failed: boolean;
  readonly minute: number;
  readonly entry: string;
  /** By facet key, see `facetKey`. */
  readonly values: ReadonlyMap<string, readonly string[]>;
}

/** How requests are made to differ. */
export const CAUSES = ['value', 'pair', 'threshold', 'mix', 'simpson', 'twins', 'instance', 'none'] as const;
export type Cause = (typeof CAUSES)[number];
export const KINDS: Readonly<Record<string, Kind>> = {
  'slower than before': { byOutcome: false, outcome: 'duration', mostWeight: 1 },
  'slow against the rest': { byOutcome: true, outcome: 'duration', mostWeight: 1 },
  'failing more than before': { byOutcome: false, outcome: 'failures', mostWeight: 1 },
  'failed against fine': { byOutcome: true, outcome: 'failures', mostWeight: 1 },
};

export interface Planted {
  readonly requests: readonly MadeRequest[];
  readonly source: ContrastSource;
  readonly kind: Kind;
  /** Whether a request is one of those that the cause concerns. */
  readonly isConcerned: ((request: MadeRequest) => boolean) | undefined;
}

const VERSION = facetKey({ field: 'service.version', service: 'berths' });
const INSTANCE = facetKey({ field: 'service.instance.id', service: 'berths' });
const HOST = facetKey({ field: 'host.name', service: 'berths' });

/** Two populations with a cause that is known. @param count of requests on each side before they are parted by outcome */
export function plant(cause: Cause, kind: Kind, seed: number, count = 4_000): Planted {
  const { below } = randomFrom(seed * 7919 + CAUSES.indexOf(cause));
  const uniform = () => (below(2 ** 30) + 0.5) / 2 ** 30;
  const normal = () => Math.sqrt(-2 * Math.log(uniform())) * Math.cos(2 * Math.PI * uniform());
  const pick = (names: readonly string[], weights: readonly number[]) => {
    const drawn = uniform() * sum(weights);
    return names.find((_, at) => drawn < sum(weights.slice(0, at + 1))) ?? names[names.length - 1];
  };
  const isConcerned = concerned(cause);
  const make = (isLater: boolean): MadeRequest => {
    const values = new Map<string, string[]>();
    const set = (key: string, value: string) => void values.set(key, [value]);
    const isMix = cause === 'mix' && isLater;
    const isSimpson = cause === 'simpson' && isLater;
    set('ferry.vehicle_class', pick(['foot', 'car', 'cycle', 'van', 'coach', 'freight'], [40, 30, 8, 10, isMix ? 40 : 6, 6]));
    set('ferry.channel', pick(['web', 'phone', 'kiosk'], [60, isSimpson ? 120 : 25, 15]));
    set('ferry.route', pick(['tern-marram', 'marram-skerry-holm', 'fennick-saltern', 'tern-saltern'], [4, 3, 2, 1]));
    set('ferry.party_size', String(1 + Math.floor(12 * uniform() ** 2)));
    set('search.days_ahead', String(below(90)));
    set('booking.ref', `OR${below(1e9)}`);
    set('enduser.id', `guest-${below(600)}`);
    const instance = `berths-${1 + below(4)}`;
    set(INSTANCE, instance);
    set(HOST, `quay-${1 + (Number(instance.at(-1)) % 2)}`);
    // A roll-out that is half done; of twins, a setting that came with it.
    const isNew = isLater && (cause === 'twins' || cause === 'simpson' || cause === 'pair' ? uniform() < 0.5 : uniform() < 0.3);
    set(VERSION, isNew ? '4.7.0' : '4.6.3');
    set('layout.solver', isNew && cause === 'twins' ? 'squares' : 'lines');
    for (let at = 0; at < 24; at++) if (uniform() < 0.8) set(`noise.${at}`, `v${below(2 + at * 2)}`);
    const entry = pick(['POST /holds', 'GET /sailings'], [70, 30]);
    const request = { isA: isLater, minute: (isLater ? 200 : 0) + below(100), entry, values, durationNs: 0, failed: false };
    const isHit = isConcerned?.(request) === true && (isLater || cause === 'mix');
    const usual =
      1e8 * (entry === 'GET /sailings' ? 3 : 1) * (cause === 'simpson' && values.get('ferry.channel')?.[0] === 'phone' ? 0.3 : 1);
    const stretched = uniform() < 0.005 ? 12 : 1;
    const slower = kind.outcome === 'duration' && isHit ? 4 : 1;
    const durationNs = usual * Math.exp(0.45 * normal()) * stretched * slower;
    const failed = uniform() < (kind.outcome === 'failures' && isHit ? 0.25 : 0.01);
    return { ...request, durationNs, failed };
  };
  const lit = Array.from({ length: count }, () => make(true));
  const requests = kind.byOutcome ? partedByOutcome(lit, kind) : [...lit, ...Array.from({ length: count }, () => make(false))];
  return { requests, source: sourceOf(requests, kind), kind, isConcerned };
}

function concerned(cause: Cause): Planted['isConcerned'] {
  const is = (request: MadeRequest, key: string, ...wanted: readonly string[]) =>
    (request.values.get(key) ?? []).some((value) => wanted.includes(value));
  switch (cause) {
    case 'value':
    case 'mix':
      return (it) => is(it, 'ferry.vehicle_class', 'coach');
    case 'pair':
      return (it) => is(it, 'ferry.vehicle_class', 'coach', 'freight') && is(it, VERSION, '4.7.0');
    case 'threshold':
      return (it) => Number(it.values.get('ferry.party_size')?.[0]) >= 7;
    case 'simpson':
    case 'twins':
      return (it) => is(it, VERSION, '4.7.0');
    case 'instance':
      return (it) => is(it, INSTANCE, 'berths-3');
    case 'none':
      return undefined;
  }
}

function partedByOutcome(requests: readonly MadeRequest[], { outcome }: Kind): MadeRequest[] {
  if (outcome === 'failures') return requests.map((it) => ({ ...it, isA: it.failed }));
  const sorted = requests.map(({ durationNs }) => durationNs).sort((a, b) => a - b);
  const bound = sorted[Math.floor(0.9 * sorted.length)];
  return requests.map((it) => ({ ...it, isA: it.durationNs >= bound }));
}

/** Requests as contrast reads them, in blocks. */
export function sourceOf(requests: readonly MadeRequest[], { outcome }: Kind, blockSize = 1_500): ContrastSource {
  const blocks: ContrastBlock[] = [];
  for (let from = 0; from < requests.length; from += blockSize)
    blocks.push(blockOf(requests.slice(from, from + blockSize), from, outcome));
  return {
    scan: async (visit) => {
      for (const block of blocks) visit(block);
    },
  };
}

function blockOf(requests: readonly MadeRequest[], from: number, outcome: Kind['outcome']): ContrastBlock {
  const entries = [...new Set(requests.map(({ entry }) => entry))];
  const ids = new Uint8Array(16 * requests.length);
  for (const at of requests.keys()) new DataView(ids.buffer).setUint32(16 * at, from + at + 1);
  const keys = [...new Set(requests.flatMap(({ values }) => [...values.keys()]))];
  return {
    count: requests.length,
    rows: Uint32Array.from(requests.keys()),
    isA: Uint8Array.from(requests, ({ isA }) => (isA ? 1 : 0)),
    outcome: Float64Array.from(requests, ({ durationNs, failed }) => (outcome === 'duration' ? durationNs : Number(failed))),
    weight: new Float64Array(requests.length).fill(1),
    group: Uint8Array.from(requests, (_, at) => Math.imul(from + at, 2654435761) >>> 26).map((it) => it % GROUPS),
    minute: Int32Array.from(requests, ({ minute }) => minute),
    entry: Uint32Array.from(requests, ({ entry }) => entries.indexOf(entry)),
    entries,
    ids,
    user: (at) => requests[at].values.get('enduser.id')?.[0] ?? '',
    columns: keys.map((key) => columnOf(requests, key)),
  };
}

function columnOf(requests: readonly MadeRequest[], key: string): FacetColumn {
  const [field, service = null] = key.split('\0');
  const facet: Facet = { field, service };
  const labels: Label[] = [];
  const known = new Map<string, number>();
  const items: number[] = [];
  const offsets = new Uint32Array(requests.length + 1);
  for (const [row, { values }] of requests.entries()) {
    for (const value of values.get(key) ?? []) {
      if (!known.has(value)) known.set(value, labels.push({ facet, value }) - 1);
      items.push(known.get(value)!);
    }
    offsets[row + 1] = items.length;
  }
  return { offsets, items: Uint32Array.from(items), labels, keys: new Set([key]) };
}

export function isIn(request: MadeRequest, set: RequestSet): boolean {
  return set.every((clause) => (request.values.get(facetKey(clause.facet)) ?? []).some((value) => fitsClause(clause, value)));
}

/** How much of the requests of either a set and the cause have in common (Jaccard). */
export function likeness({ requests, isConcerned }: Planted, set: RequestSet): number {
  let both = 0;
  let either = 0;
  for (const it of requests) {
    const [a, b] = [isIn(it, set), isConcerned?.(it) === true];
    if (a && b) both++;
    if (a || b) either++;
  }
  return both / either;
}
