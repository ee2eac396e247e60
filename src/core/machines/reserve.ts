/** What a container reserves, and what it uses. */
export interface Reservation {
  /** Cores or bytes; undefined when it reserves nothing. */
  readonly request: number | undefined;
  /** The 99 % quantile of its use; undefined without enough minutes. */
  readonly p99: number | undefined;
}

/** Minutes that are needed for a 99 % quantile. */
export const ENOUGH_MINUTES = 60;
const HEADROOM = 1.2;

/** What should be reserved: the 99 % quantile of the use and a fifth more, rounded up to a readable step. */
export function proposal(p99: number | undefined, unit: 'cores' | 'bytes'): number | undefined {
  if (p99 === undefined) return undefined;
  const step = unit === 'cores' ? 0.01 : 2 ** 20;
  return Math.max(step, Math.ceil((HEADROOM * p99) / step) * step);
}

/** What a proposal frees; negative when more is needed. Undefined when nothing is reserved or nothing is proposed. */
export function freed({ request, p99 }: Reservation, unit: 'cores' | 'bytes'): number | undefined {
  const proposed = proposal(p99, unit);
  return request === undefined || proposed === undefined ? undefined : request - proposed;
}

/** The 99 % quantile (nearest rank) of what is known; undefined with too few values. */
export function p99Of(values: Iterable<number>): number | undefined {
  const known = [...values].filter((value) => !Number.isNaN(value)).sort((a, b) => a - b);
  return known.length < ENOUGH_MINUTES ? undefined : known[Math.ceil(0.99 * known.length) - 1];
}
