import type { Distribution } from './distribution.ts';

/** What the names of the metrics of pools begin with. */
export const POOL_METRICS = 'db.client.connection.';

/** A pool of connections of one instance, minute by minute. */
export interface StoredPool {
  readonly service: string;
  readonly instance: string;
  readonly name: string;
  /** The server that it leads to; empty when the sender does not say. */
  readonly server: string;
  readonly minutes: readonly MeasuredMinute[];
}

/** A minute of a pool of one instance, as it was measured; times in seconds. */
export interface MeasuredMinute {
  /** Minutes since 1970-01-01. */
  readonly minute: number;
  readonly size: number | null;
  readonly used: number | null;
  readonly pending: number | null;
  readonly waits: Distribution;
  readonly holds: Distribution;
  readonly timeouts: number;
}
