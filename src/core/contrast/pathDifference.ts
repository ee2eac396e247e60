import type { PathPart } from '../topology/origin/pathParts.ts';

/** Time on the critical path by whose it is: nanoseconds a request. */
export interface PathLine {
  readonly party: string;
  readonly operation: string;
  readonly kind: PathPart['kind'];
  readonly a: number;
  readonly b: number;
  /** Of the requests that are left when others were peeled off. */
  readonly leftA: number;
  readonly leftB: number;
}

/** Adds up the critical paths of both populations, of all of their requests and of those that are left. */
export class PathDifference {
  readonly #lines = new Map<string, { readonly part: PathPart; readonly ns: Float64Array }>();
  readonly #keys = new Map<PathPart, string>();
  /** Requests: A, B, and of those left A, B. */
  readonly requests = new Float64Array(4);

  /** @param parts one object for each different part, the same in all calls; with its nanoseconds */
  add(isA: boolean, isLeft: boolean, weight: number, parts: Iterable<readonly [PathPart, number]>): void {
    const side = isA ? 0 : 1;
    this.requests[side] += weight;
    if (isLeft) this.requests[2 + side] += weight;
    for (const [part, ns] of parts) {
      const line = this.#lineOf(part);
      line[side] += weight * ns;
      if (isLeft) line[2 + side] += weight * ns;
    }
  }

  #lineOf(part: PathPart): Float64Array {
    let key = this.#keys.get(part);
    if (key === undefined) {
      // Ways between services are one line each way, whatever was called on them.
      key = JSON.stringify([part.party, part.kind === 'gap' ? '' : part.operation, part.kind]);
      this.#keys.set(part, key);
    }
    let line = this.#lines.get(key);
    if (!line) {
      line = { part, ns: new Float64Array(4) };
      this.#lines.set(key, line);
    }
    return line.ns;
  }

  /** Those that grew most first. The differences a − b sum to that of the mean durations, exactly. */
  lines(): PathLine[] {
    const mean = (ns: Float64Array, at: number) => (this.requests[at] > 0 ? ns[at] / this.requests[at] : 0);
    return [...this.#lines.values()]
      .map(({ part: { party, operation, kind }, ns }) => ({
        party,
        operation: kind === 'gap' ? '' : operation,
        kind,
        a: mean(ns, 0),
        b: mean(ns, 1),
        leftA: mean(ns, 2),
        leftB: mean(ns, 3),
      }))
      .sort((one, other) => other.a - other.b - (one.a - one.b));
  }
}
