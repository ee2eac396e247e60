import { ColumnWriter } from '../columns/columnWriter.ts';
import { type CodeColumn, codesOf, type Numbers, numbersOf, type Segment, segmentOf } from '../columns/segment.ts';
import { type Frame, frameKey, type StackSample } from './stackSample.ts';

/*
 * Profiles as columns: a row for each stack of a profile's type, version, instance and operation at one moment, with what its samples weigh
 * together. A segment holds one service. Stacks are the places of their frames in the texts of the frame column, separated by spaces.
 */

/** The middle of the profile, milliseconds since the beginning of the slot. */
const TIME = 'time';
const TYPE = 'type';
const STACK = 'stack';
const FRAME = 'frame';
const VERSION = 'version';
const INSTANCE = 'instance';
const OPERATION = 'operation';
const VALUE = 'value';
const COUNT = 'count';

/** What a profile measured, and where. */
export interface ProfileOf {
  /** Milliseconds since the beginning of the slot. */
  readonly time: number;
  /** Such as `cpu`. */
  readonly type: string;
  readonly unit: string;
  /** What one sample stands for, in the unit; 0 when not said. */
  readonly period: number;
  readonly version: string;
  readonly instance: string;
}

/** Stacks of one segment; samples of further ones are summed up without their frames, so that totals stay right. */
const MOST_STACKS = 40_000;
/** Rows of one segment; samples beyond are summed up without frames and operation. */
const MOST_ROWS = 400_000;
const LEFT_OUT: Frame = { name: '(stacks left out)', file: '', line: 0 };

/** Writes profiles of one service; samples of one stack and operation are summed up. */
export class ProfileSegmentWriter {
  readonly #frames = new Map<string, number>();
  readonly #stacks = new Set<string>();
  readonly #sums = new Map<string, { of: ProfileOf; stack: string; operation: string; value: number; count: number }>();
  readonly #bounds: { readonly stacks: number; readonly rows: number };

  constructor(bounds = { stacks: MOST_STACKS, rows: MOST_ROWS }) {
    this.#bounds = bounds;
  }

  add(of: ProfileOf, samples: readonly StackSample[]): void {
    for (const { frames, value, operation = '' } of samples) {
      if (value <= 0) continue;
      const count = of.period > 0 ? value / of.period : 1;
      if (this.#sums.size >= this.#bounds.rows) this.#addTo(of, this.#stackOf([LEFT_OUT]), '', value, count);
      else this.#addTo(of, this.#stackOf(frames), operation, value, count);
    }
  }

  #addTo(of: ProfileOf, stack: string, operation: string, value: number, count: number): void {
    const key = `${of.time}\0${of.type}\0${of.version}\0${of.instance}\0${operation}\0${stack}`;
    const sum = this.#sums.get(key);
    if (sum) {
      sum.value += value;
      sum.count += count;
    } else this.#sums.set(key, { of, stack, operation, value, count });
  }

  #stackOf(frames: readonly Frame[]): string {
    if (this.#stacks.size >= this.#bounds.stacks) {
      // A new stack is left out; whether it is new is seen without taking its frames in.
      const known = frames.map((frame) => this.#frames.get(frameKey(frame)));
      if (!known.includes(undefined) && this.#stacks.has(known.join(' '))) return known.join(' ');
      return String(this.#indexOf(LEFT_OUT));
    }
    const stack = frames.map((frame) => this.#indexOf(frame)).join(' ');
    this.#stacks.add(stack);
    return stack;
  }

  #indexOf(frame: Frame): number {
    const key = frameKey(frame);
    const known = this.#frames.get(key);
    if (known !== undefined) return known;
    this.#frames.set(key, this.#frames.size);
    return this.#frames.size - 1;
  }

  finish(): Segment {
    const writer = new ColumnWriter();
    for (const { of, stack, operation, value, count } of [...this.#sums.values()].sort((a, b) => a.of.time - b.of.time)) {
      writer.number(TIME, of.time);
      writer.text(TYPE, `${of.type} ${of.unit}`);
      writer.text(STACK, stack);
      writer.text(VERSION, of.version);
      writer.text(INSTANCE, of.instance);
      if (operation !== '') writer.text(OPERATION, operation);
      writer.number(VALUE, value);
      writer.number(COUNT, count);
      writer.endRow();
    }
    const rows = writer.finish();
    const frames: CodeColumn = { type: 'codes', values: new Uint32Array(rows.rows), texts: [...this.#frames.keys()] };
    return segmentOf(rows.rows, new Map([...rows.names.map((name) => [name, rows.column(name)!] as const), [FRAME, frames]]));
  }
}

/** The columns of a segment, to be read row by row. Codes are 1 + a place in their texts, 0 for none. */
export interface ProfileRows {
  readonly rows: number;
  readonly times: Numbers;
  readonly types: CodeColumn;
  readonly stacks: CodeColumn;
  readonly versions: CodeColumn;
  readonly instances: CodeColumn;
  readonly operations: CodeColumn;
  readonly values: Numbers;
  readonly counts: Numbers;
  /** The frames of all stacks. */
  readonly frames: readonly string[];
}

export function profileRows(segment: Segment): ProfileRows {
  return {
    rows: segment.rows,
    times: numbersOf(segment, TIME),
    types: codesOf(segment, TYPE),
    stacks: codesOf(segment, STACK),
    versions: codesOf(segment, VERSION),
    instances: codesOf(segment, INSTANCE),
    operations: codesOf(segment, OPERATION),
    values: numbersOf(segment, VALUE),
    counts: numbersOf(segment, COUNT),
    frames: codesOf(segment, FRAME).texts,
  };
}
