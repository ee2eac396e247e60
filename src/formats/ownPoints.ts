import type { OwnMetric } from './openMetrics.ts';
import type { OutgoingPoint } from './otlp/record/encodeMetrics.ts';
import type { Whose } from './otlp/wire/writer.ts';

const UNITS: Readonly<Record<OwnMetric['unit'], string>> = { bytes: 'By', seconds: 's', '': '1' };

/** Figures of the application itself as points of OTLP, counters by what they grew since the last time. */
export class OwnPoints {
  readonly #whose: Whose;
  readonly #before = new Map<string, number>();
  #last: bigint;

  /** @param whose resource and scope @param now epoch nanoseconds */
  constructor(whose: Whose, now: bigint) {
    this.#whose = whose;
    this.#last = now;
  }

  /** @param now epoch nanoseconds */
  take(metrics: readonly OwnMetric[], now: bigint): OutgoingPoint[] {
    const start = this.#last;
    this.#last = now;
    return metrics.flatMap(({ name, type, unit, values }) =>
      values.map(({ labels, value }): OutgoingPoint => {
        const key = JSON.stringify([name, labels]);
        const grown = value - (this.#before.get(key) ?? 0);
        this.#before.set(key, value);
        return {
          ...this.#whose,
          name: name.replaceAll('_', '.'),
          unit: UNITS[unit],
          attributes: labels,
          start,
          time: now,
          value: type === 'counter' ? { kind: 'count', number: Math.max(0, grown) } : { kind: 'gauge', number: value },
        };
      }),
    );
  }
}
