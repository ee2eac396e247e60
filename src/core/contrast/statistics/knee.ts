/** From which share of the requests on the slow ones begin at the earliest, and at the latest. */
const EARLIEST = 0.7;
const LATEST = 0.995;
/** Where there is no gap, the slowest twentieth are the slow ones. */
const USUAL = 0.95;

/**
 * Where slow begins: the duration that best parts short from long ones, by the variance of their logarithms between the two (Otsu, 1979), among
 * those that leave a part of 0.5 to 30 % above. Where durations have no gap there, the 95th percentile.
 *
 * @param durations nanoseconds; they are sorted in place @returns undefined for fewer than 20
 */
export function kneeOf(durations: Float64Array): number | undefined {
  if (durations.length < 20) return undefined;
  durations.sort();
  const logs = durations.map((ns) => Math.log(Math.max(1, ns)));
  const total = logs.reduce((sum, it) => sum + it, 0);
  const [first, last] = [Math.floor(EARLIEST * logs.length), Math.min(logs.length - 1, Math.ceil(LATEST * logs.length))];
  let below = logs.subarray(0, first).reduce((sum, it) => sum + it, 0);
  let best = { at: first, between: -1 };
  for (let at = first; at <= last; at++) {
    const [n, m] = [at, logs.length - at];
    const between = n * m * (below / n - (total - below) / m) ** 2;
    if (between > best.between) best = { at, between };
    below += logs[at];
  }
  const isEdge = best.at <= first + 0.01 * logs.length;
  const at = isEdge ? Math.floor(USUAL * logs.length) : best.at;
  // Between the two neighbours, in round figures: it is read and written.
  return roundUp(Math.sqrt(durations[Math.max(0, at - 1)] * durations[at]), durations[at]);
}

/** A number of two digits between two bounds, or the upper one. */
function roundUp(from: number, to: number): number {
  const step = 10 ** (Math.floor(Math.log10(Math.max(1, from))) - 1);
  const rounded = Math.ceil(from / step) * step;
  return rounded <= to ? rounded : to;
}

/** Durations that the knee is looked for among. */
const MOST_DURATIONS = 200_000;

/** Durations of any number of requests in bounded memory: of more than 200 000 every second, fourth … one, in the order in which they come. */
export class DurationSample {
  #values = new Float64Array(1024);
  #count = 0;
  #stride = 1;
  #offered = 0;

  add(ns: number): void {
    if (this.#offered++ % this.#stride !== 0) return;
    if (this.#count === MOST_DURATIONS) {
      for (let at = 0; at < MOST_DURATIONS / 2; at++) this.#values[at] = this.#values[2 * at];
      this.#count = MOST_DURATIONS / 2;
      this.#stride *= 2;
    } else if (this.#count === this.#values.length) {
      const larger = new Float64Array(Math.min(MOST_DURATIONS, 2 * this.#count));
      larger.set(this.#values);
      this.#values = larger;
    }
    this.#values[this.#count++] = ns;
  }

  taken(): Float64Array {
    return this.#values.slice(0, this.#count);
  }
}
