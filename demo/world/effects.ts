import type { Customer } from '../company/customers.ts';
import type { Failed } from './failed.ts';
import type { Instance } from './instance.ts';

/** What a piece of work is, so that an effect can tell whether it is meant. */
export interface Work {
  readonly instance: Instance;
  readonly step: string;
  readonly customer: Customer | undefined;
}

interface Slower {
  readonly service: string;
  /** Every step when left out. */
  readonly step?: string;
  readonly version?: string;
  /** How much more there is to compute; 1 for those that are not meant. */
  readonly factor: (work: Work) => number;
  readonly allocates?: number;
}

interface Failing {
  readonly service: string;
  readonly route?: string;
  /** What goes wrong for those who are meant. */
  readonly failure: (work: Work) => Failed | undefined;
}

/** What makes the company's programs behave otherwise than they were written: each effect holds until it is undone. */
export class Effects {
  readonly #slower = new Set<Slower>();
  readonly #failing = new Set<Failing>();
  readonly #on = new Map<string, number>();

  slow(effect: Slower): () => void {
    this.#slower.add(effect);
    return () => this.#slower.delete(effect);
  }

  fail(effect: Failing): () => void {
    this.#failing.add(effect);
    return () => this.#failing.delete(effect);
  }

  /** Turns something by name on, with a number that says how much. */
  turn(name: string, value = 1): () => void {
    const before = this.#on.get(name);
    this.#on.set(name, value);
    // What was on before, by another cause, stays on.
    return () => {
      if (before === undefined) this.#on.delete(name);
      else this.#on.set(name, before);
    };
  }

  /** The number of what was turned on by name; 0 when it is off. */
  valueOf(name: string): number {
    return this.#on.get(name) ?? 0;
  }

  /** How much more there is to compute, and to allocate. */
  ofComputing(work: Work): { factor: number; allocates: number } {
    let factor = 1;
    let allocates = 1;
    for (const it of this.#slower) {
      if (it.service !== work.instance.service || (it.step !== undefined && it.step !== work.step)) continue;
      if (it.version !== undefined && it.version !== work.instance.version) continue;
      const more = it.factor(work);
      factor *= more;
      if (more !== 1) allocates *= it.allocates ?? 1;
    }
    return { factor, allocates };
  }

  /** What goes wrong with a request on a route; undefined when nothing does. */
  ofServing(work: Work): Failed | undefined {
    for (const it of this.#failing) {
      if (it.service !== work.instance.service || (it.route !== undefined && it.route !== work.step)) continue;
      const failure = it.failure(work);
      if (failure) return failure;
    }
    return undefined;
  }
}
