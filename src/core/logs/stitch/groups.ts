/** The lines that one value of a key joins, as steps in time. Growing lists, so that a million lines take a few tens of bytes each. */
export class Groups {
  readonly #index = new Map<string, number>();
  readonly #steps = new Map<string, number>();
  readonly keys: string[] = [];
  /** The names of steps, by number. */
  readonly steps: string[] = [];
  #group = new Uint32Array(1 << 14);
  #step = new Uint16Array(1 << 14);
  #time = new Float64Array(1 << 14);
  size = 0;
  /** Lines that found no room. */
  leftOut = 0;
  readonly #most: { readonly groups: number; readonly lines: number };

  /** @param most groups and lines, at most */
  constructor(most: { readonly groups: number; readonly lines: number }) {
    this.#most = most;
  }

  /** @param time epoch milliseconds */
  add(key: string, step: string, time: number): void {
    const group = this.groupOf(key);
    const of = this.#stepOf(step);
    if (group === undefined || of === undefined || this.size >= this.#most.lines) {
      this.leftOut++;
      return;
    }
    if (this.size === this.#group.length) this.#grow();
    this.#group[this.size] = group;
    this.#step[this.size] = of;
    this.#time[this.size++] = time;
  }

  groupOf(key: string): number | undefined {
    let group = this.#index.get(key);
    if (group === undefined && this.keys.length < this.#most.groups) {
      group = this.keys.length;
      this.keys.push(key);
      this.#index.set(key, group);
    }
    return group;
  }

  #stepOf(name: string): number | undefined {
    let step = this.#steps.get(name);
    if (step === undefined && this.steps.length < 65_535) {
      step = this.steps.length;
      this.steps.push(name);
      this.#steps.set(name, step);
    }
    return step;
  }

  #grow(): void {
    const length = this.#group.length * 2;
    const grown = <T extends Uint32Array | Uint16Array | Float64Array>(of: T, into: T): T => {
      into.set(of as never);
      return into;
    };
    this.#group = grown(this.#group, new Uint32Array(length));
    this.#step = grown(this.#step, new Uint16Array(length));
    this.#time = grown(this.#time, new Float64Array(length));
  }

  /** The events of each group, in order of time. */
  threads(): Thread[] {
    const order = Uint32Array.from({ length: this.size }, (_, at) => at);
    order.sort((a, b) => this.#group[a] - this.#group[b] || this.#time[a] - this.#time[b] || a - b);
    const threads: Thread[] = this.keys.map((key) => ({ key, steps: [], times: [] }));
    for (const at of order) {
      const thread = threads[this.#group[at]];
      thread.steps.push(this.#step[at]);
      thread.times.push(this.#time[at]);
    }
    return threads.filter(({ steps }) => steps.length > 0);
  }
}

/** What one value went through. */
export interface Thread {
  readonly key: string;
  /** Numbers of steps, and when; epoch milliseconds, ascending. */
  readonly steps: number[];
  readonly times: number[];
}
