/** What is older than this hardly counts any more. */
const MEMORY_MS = 3_000;

/** How much of the machine others than the caller use, on average over the last seconds. */
export class OthersLoad {
  readonly #processors: number;
  #last: { readonly at: number; readonly busyMs: number } | undefined;
  #ownMs = 0;
  #share = 0;

  constructor(processors: number) {
    this.#processors = processors;
  }

  /** Between 0, nothing, and 1, all processors. */
  get share(): number {
    return this.#share;
  }

  /** Work of the caller since the last note, milliseconds of a processor. */
  leaveOut(ownMs: number): void {
    this.#ownMs += ownMs;
  }

  /** @param at milliseconds of any clock; @param busyMs milliseconds that all processors together were at work so far */
  note(at: number, busyMs: number): void {
    if (this.#last && at > this.#last.at) {
      const passed = at - this.#last.at;
      const others = Math.max(0, busyMs - this.#last.busyMs - this.#ownMs) / (passed * this.#processors);
      const kept = Math.exp(-passed / MEMORY_MS);
      this.#share = kept * this.#share + (1 - kept) * Math.min(1, others);
    }
    this.#last = { at, busyMs };
    this.#ownMs = 0;
  }
}
