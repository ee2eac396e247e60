import type { RequestSeries } from '../../api/requests/series.ts';

/** What the bench is opened with. */
export interface BenchFirst {
  /** The trial to show; undefined to set one up. */
  readonly trial?: string;
  /** Whose statement it is. */
  readonly server: string;
  readonly statement: string;
  /** Its text, where it has no id. */
  readonly sql: string;
  readonly series?: RequestSeries;
}
