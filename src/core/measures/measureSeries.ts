import type { Attributes } from '../trace/span.ts';

/** One measure of one sender by the minute. */
export interface MeasureSeries {
  readonly name: string;
  readonly unit: string;
  readonly attributes: Attributes;
  readonly service: string;
  readonly instance: string;
  readonly host: string;
  /** Minutes since 1970-01-01 and values: means of gauges, increments of sums. */
  readonly points: readonly (readonly [minute: number, value: number])[];
}
