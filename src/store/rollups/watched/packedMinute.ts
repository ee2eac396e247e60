import type { MinuteOfCalls } from '../../../core/incidents/callSeries.ts';
import { emptySketch, type Sketch } from '../../../core/measures/sketch.ts';
import { mergeSketches } from '../mergedSketches.ts';

/** Calls of an operation within a minute: those that came in as requests of their own apart from the others. */
export interface MinuteRow {
  readonly keyId: number;
  readonly entry: boolean;
  readonly calls: number;
  readonly failures: number;
  /** As `JOINED` gives them. */
  readonly sketches: Buffer;
}

/**
 * The operations that were called within a minute, in few bytes: two days of minutes are held in memory, of which one operation at a time is looked
 * at. Sketches are unpacked when they are asked for.
 */
export class PackedMinute {
  /** The rows in ascending order of their ids, column by column. */
  readonly #ids: Int32Array;
  readonly #entries: Uint8Array;
  readonly #calls: Uint32Array;
  readonly #failures: Uint32Array;
  /** Where the sketches of each row begin, and where the last ends. */
  readonly #offsets: Uint32Array;
  readonly #sketches: Buffer;

  constructor(rows: readonly MinuteRow[]) {
    const sorted = [...rows].sort((a, b) => a.keyId - b.keyId);
    this.#ids = Int32Array.from(sorted, ({ keyId }) => keyId);
    this.#entries = Uint8Array.from(sorted, ({ entry }) => (entry ? 1 : 0));
    this.#calls = Uint32Array.from(sorted, ({ calls }) => calls);
    this.#failures = Uint32Array.from(sorted, ({ failures }) => failures);
    this.#sketches = Buffer.concat(sorted.map(({ sketches }) => sketches));
    this.#offsets = new Uint32Array(sorted.length + 1);
    for (const [at, { sketches }] of sorted.entries()) this.#offsets[at + 1] = this.#offsets[at] + sketches.length;
  }

  /** Calls of some operations together; null where there was none. */
  of(ids: readonly number[]): MinuteOfCalls | null {
    return this.#sum(ids, false);
  }

  /** Of those the requests that came in by them. */
  entriesOf(ids: readonly number[]): MinuteOfCalls | null {
    return this.#sum(ids, true);
  }

  #sum(ids: readonly number[], onlyEntries: boolean): MinuteOfCalls | null {
    let calls = 0;
    let failures = 0;
    const parts: Buffer[] = [];
    for (const id of ids)
      for (let at = this.#firstOf(id); this.#ids[at] === id; at++) {
        if (onlyEntries && this.#entries[at] === 0) continue;
        calls += this.#calls[at];
        failures += this.#failures[at];
        parts.push(this.#sketches.subarray(this.#offsets[at], this.#offsets[at + 1]));
      }
    return parts.length === 0 ? null : new Calls(calls, failures, parts);
  }

  /** Where the rows of an id begin, if it has any. */
  #firstOf(id: number): number {
    let [low, high] = [0, this.#ids.length];
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (this.#ids[middle] < id) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}

class Calls implements MinuteOfCalls {
  readonly calls: number;
  readonly failures: number;
  readonly #parts: readonly Buffer[];
  #sketch: Sketch | undefined;

  constructor(calls: number, failures: number, parts: readonly Buffer[]) {
    this.calls = calls;
    this.failures = failures;
    this.#parts = parts;
  }

  get sketch(): Sketch {
    if (!this.#sketch) {
      this.#sketch = emptySketch();
      for (const part of this.#parts) mergeSketches(this.#sketch, part);
    }
    return this.#sketch;
  }
}
