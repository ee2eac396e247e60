import type { OutgoingExemplar } from '../../src/formats/otlp/record/encodeMetrics.ts';
import { SECOND } from '../simulation/units.ts';

/** Seconds, as OpenTelemetry advises for the duration of requests. */
export const BOUNDS = [0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10];

/** Seconds, for how long a connection is waited for and held: a fifth apart from 1 ms to a minute, so that a replay of them is exact enough. */
export const HOLD_BOUNDS = Array.from({ length: 61 }, (_, at) => Number((0.001 * 1.2 ** at).toPrecision(4)));

/** Values of one minute by bucket. */
export class Histogram {
  readonly counts: number[];
  sum = 0;
  readonly exemplars: OutgoingExemplar[] = [];
  readonly bounds: readonly number[];

  constructor(bounds: readonly number[] = BOUNDS) {
    this.bounds = bounds;
    this.counts = new Array<number>(bounds.length + 1).fill(0);
  }

  add(nanos: number, exemplar?: () => OutgoingExemplar): void {
    const seconds = nanos / SECOND;
    let bucket = 0;
    while (bucket < this.bounds.length && seconds > this.bounds[bucket]) bucket++;
    // The first of each bucket represents it.
    if (this.counts[bucket]++ === 0 && exemplar) this.exemplars.push(exemplar());
    this.sum += seconds;
  }
}

/** What an instance has measured since its figures were last sent. Times in nanoseconds, sizes in bytes. */
export class InstanceMeters {
  cpu = 0;
  /** Waited for a core. */
  cpuWait = 0;
  /** Stopped, since its container had used its quota. */
  throttled = 0;
  allocated = 0;
  /** By route and status code. */
  requests = new Map<string, { route: string; status: number; durations: Histogram }>();
  collections = { young: { count: 0, nanos: 0 }, old: { count: 0, nanos: 0 } };
  delays = { count: 0, nanos: 0, longest: 0 };

  request(route: string, status: number, nanos: number, exemplar: () => OutgoingExemplar): void {
    const key = `${status} ${route}`;
    let of = this.requests.get(key);
    if (!of) {
      of = { route, status, durations: new Histogram() };
      this.requests.set(key, of);
    }
    of.durations.add(nanos, exemplar);
  }

  gc(generation: 'young' | 'old', nanos: number): void {
    this.collections[generation].count++;
    this.collections[generation].nanos += nanos;
  }

  loopDelay(nanos: number): void {
    this.delays.count++;
    this.delays.nanos += nanos;
    if (nanos > this.delays.longest) this.delays.longest = nanos;
  }

  reset(): void {
    this.cpu = 0;
    this.cpuWait = 0;
    this.throttled = 0;
    this.allocated = 0;
    this.requests = new Map();
    this.collections = { young: { count: 0, nanos: 0 }, old: { count: 0, nanos: 0 } };
    this.delays = { count: 0, nanos: 0, longest: 0 };
  }
}
