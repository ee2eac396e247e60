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

/** Stacks that are told apart; further ones are summed up as their outermost frames only. */
const MOST_STACKS = 400_000;
const FRAMES_KEPT = 2;

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
    // Summed by the codes of the segment first: maps are asked once a code, not once a row.
    const width = operations.texts.length + 1;
    const byType = new Float64Array(types.texts.length + 1);
    const byVersion = new Float64Array(versions.texts.length + 1);
    const byInstance = new Float64Array(instances.texts.length + 1);
    const byStack = new Float64Array((stacks.texts.length + 1) * width);
    const countOf = new Float64Array(stacks.texts.length + 1);
    for (let row = 0; row < rows.rows; row++) {
      if (times[row] < from || times[row] >= to) continue;
      const value = values[row];
      const type = types.values[row];
      byType[type] += value;
      if (type !== wanted) continue;
      if (version !== undefined && versions.values[row] !== version) continue;
      if (instance !== undefined && instances.values[row] !== instance) continue;
      if (operation !== undefined && operations.values[row] !== operation) continue;
      byVersion[versions.values[row]] += value;
      byInstance[instances.values[row]] += value;
      byStack[stacks.values[row] * width + operations.values[row]] += value;
      countOf[stacks.values[row]] += counts[row];
    }
    addCodes(this.types, types.texts, byType);
    addCodes(this.versions, versions.texts, byVersion);
    addCodes(this.instances, instances.texts, byInstance);
    const frames: number[] = [];
    for (let code = 0; code < countOf.length; code++) {
      const part = byStack.subarray(code * width, (code + 1) * width);
      let value = 0;
      for (const it of part) value += it;
      if (value === 0) continue;
      const sum = this.#sumOf(rows, code, frames);
      sum.value += value;
      sum.count += countOf[code];
      this.total += value;
      this.count += countOf[code];
      addCodes(sum.operations, operations.texts, part);
      addCodes(this.operations, operations.texts, part);
    }
  }

  #sumOf(rows: ProfileRows, code: number, known: number[]): StackSum {
    const text = rows.stacks.texts[code - 1] ?? '';
    const frames = text === '' ? [] : text.split(' ').map((at) => this.#frameOf(rows.frames, Number(at), known));
    let key = frames.join(' ');
    let sum = this.#stacks.get(key);
    if (!sum && this.#stacks.size >= MOST_STACKS) {
      frames.splice(0, frames.length - FRAMES_KEPT);
      key = frames.join(' ');
      sum = this.#stacks.get(key);
    }
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

/** Adds sums by code; code 0 is no text. */
function addCodes(sums: ByValue, texts: readonly string[], byCode: Float64Array): void {
  for (let code = 0; code < byCode.length; code++) if (byCode[code] !== 0) addTo(sums, texts[code - 1] ?? '', byCode[code]);
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
