import type { ProfileRows } from './profileColumns.ts';
import { type Frame, frameOfKey } from './stackSample.ts';

/** Which part of what profilers took is meant. Empty: of all. */
export interface StackFilter {
  /** What was measured, with its unit: `cpu nanoseconds`. */
  readonly type: string;
  readonly version?: string;
  readonly instance?: string;
  readonly operation?: string;
}

/** A stack as places in a list of frames, the innermost first, and what its samples weigh. */
export interface StackSum {
  readonly frames: readonly number[];
  value: number;
  count: number;
  /** What of it each operation took. */
  readonly operations: ByValue;
}

/** What is summed by a dimension. */
export type ByValue = Map<string, number>;

/**
 * Sums stacks over many segments. A stack that several segments have is one; frames have one numbering for all of them.
 */
export class StackSums {
  readonly #frames = new Map<string, number>();
  readonly #stacks = new Map<string, StackSum>();
  readonly versions: ByValue = new Map();
  readonly instances: ByValue = new Map();
  readonly operations: ByValue = new Map();
  /** All types that were met, with what they sum to; also those that were not asked for. */
  readonly types: ByValue = new Map();
  total = 0;
  count = 0;

  /** Adds the rows of a segment from one time to before another, milliseconds of the segment. */
  add(rows: ProfileRows, from: number, to: number, filter: StackFilter): void {
    const { times, types, stacks, versions, instances, operations, values, counts } = rows;
    const wanted = codeOf(types.texts, filter.type);
    const [version, instance, operation] = [
      optional(versions.texts, filter.version),
      optional(instances.texts, filter.instance),
      optional(operations.texts, filter.operation),
    ];
    // Of each stack of the segment, found once.
    const local: (StackSum | undefined)[] = new Array(stacks.texts.length + 1);
    const frames: number[] = [];
    for (let row = 0; row < rows.rows; row++) {
      if (times[row] < from || times[row] >= to) continue;
      const value = values[row];
      addTo(this.types, types.texts[types.values[row] - 1], value);
      if (types.values[row] !== wanted) continue;
      if (version !== undefined && versions.values[row] !== version) continue;
      if (instance !== undefined && instances.values[row] !== instance) continue;
      if (operation !== undefined && operations.values[row] !== operation) continue;
      const code = stacks.values[row];
      let sum = local[code];
      if (!sum) {
        sum = this.#sumOf(rows, code, frames);
        local[code] = sum;
      }
      sum.value += value;
      sum.count += counts[row];
      this.total += value;
      this.count += counts[row];
      addTo(this.versions, versions.texts[versions.values[row] - 1] ?? '', value);
      addTo(this.instances, instances.texts[instances.values[row] - 1] ?? '', value);
      const asked = operations.texts[operations.values[row] - 1] ?? '';
      addTo(sum.operations, asked, value);
      addTo(this.operations, asked, value);
    }
  }

  #sumOf(rows: ProfileRows, code: number, known: number[]): StackSum {
    const text = rows.stacks.texts[code - 1] ?? '';
    const frames = text === '' ? [] : text.split(' ').map((at) => this.#frameOf(rows.frames, Number(at), known));
    const key = frames.join(' ');
    let sum = this.#stacks.get(key);
    if (!sum) {
      sum = { frames, value: 0, count: 0, operations: new Map() };
      this.#stacks.set(key, sum);
    }
    return sum;
  }

  #frameOf(texts: readonly string[], at: number, known: number[]): number {
    if (known[at] !== undefined) return known[at];
    let index = this.#frames.get(texts[at]);
    if (index === undefined) {
      index = this.#frames.size;
      this.#frames.set(texts[at], index);
    }
    known[at] = index;
    return index;
  }

  get frames(): Frame[] {
    return [...this.#frames.keys()].map(frameOfKey);
  }

  get stacks(): StackSum[] {
    return [...this.#stacks.values()];
  }
}

function addTo(sums: ByValue, key: string, value: number): void {
  sums.set(key, (sums.get(key) ?? 0) + value);
}

/** -1 for a text that no row has. */
function codeOf(texts: readonly string[], text: string): number {
  const at = texts.indexOf(text);
  return at < 0 ? -1 : at + 1;
}

function optional(texts: readonly string[], text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  return text === '' ? 0 : codeOf(texts, text);
}
