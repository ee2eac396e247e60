/** What came of some requests at a pool of connections. Times in seconds. */
export interface Replayed {
  /** Of each request that waited to its end, in the order in which they came. */
  readonly waits: Float64Array;
  /** How many gave up. */
  readonly lost: number;
  /** Connections in use and requests waiting, averaged over the time from the first arrival to the last. */
  readonly inUse: number;
  readonly waiting: number;
}

/**
 * Lets requests through a pool of so many connections, first come, first served: each takes a connection for its time, or waits for one, and
 * gives up when it has waited for longer than its patience.
 *
 * Cost: O(n log size).
 *
 * @param arrivals in ascending order @param holds how long each holds its connection
 */
export function replay(arrivals: Float64Array, holds: Float64Array, size: number, patience: number): Replayed {
  // When each connection is free again, the earliest first: a heap.
  const free = new Float64Array(size);
  const waits = new Float64Array(arrivals.length);
  let count = 0;
  let lost = 0;
  let held = 0;
  let waited = 0;
  const end = arrivals[arrivals.length - 1] ?? 0;
  for (let at = 0; at < arrivals.length; at++) {
    const came = arrivals[at];
    const starts = Math.max(came, free[0]);
    if (starts - came > patience) {
      lost++;
      waited += Math.max(0, Math.min(came + patience, end) - came);
      continue;
    }
    waits[count++] = starts - came;
    waited += Math.max(0, Math.min(starts, end) - came);
    held += Math.max(0, Math.min(starts + holds[at], end) - Math.min(starts, end));
    replaceFirst(free, starts + holds[at]);
  }
  const span = Math.max(1e-9, end - (arrivals[0] ?? 0));
  return { waits: waits.subarray(0, count), lost, inUse: held / span, waiting: waited / span };
}

function replaceFirst(heap: Float64Array, value: number): void {
  let at = 0;
  for (;;) {
    let best = 2 * at + 1;
    if (best >= heap.length) break;
    if (best + 1 < heap.length && heap[best + 1] < heap[best]) best++;
    if (heap[best] >= value) break;
    heap[at] = heap[best];
    at = best;
  }
  heap[at] = value;
}
