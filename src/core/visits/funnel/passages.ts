import { codesOf, listsOf } from '../../columns/segment.ts';
import type { NarrowedSlot, VisitScope } from '../slotVisits.ts';
import { STEP_CRASH, STEP_ERROR, STEP_WORKED } from '../visitColumns.ts';

/** A step of a journey: a page that is seen, or something pressed. */
export interface FunnelStep {
  readonly kind: 'page' | 'action';
  readonly name: string;
}

/** How visits went through the steps of a funnel: `count` rows, column by column, since a day has a million. */
export interface Passages {
  readonly count: number;
  /** Which visit it is: its slot, and its row there. */
  readonly slots: Uint32Array;
  readonly rows: Uint32Array;
  /** Steps that were reached. */
  readonly reached: Uint8Array;
  /** By step, without the last: milliseconds to the next, and the longest waiting on the way; 0 where the next was not reached. */
  readonly between: readonly Uint32Array[];
  readonly waits: readonly Uint32Array[];
  /** What happened at the last step that was reached, before the visit ended: `STEP_ERROR` and `STEP_CRASH`. */
  readonly ends: Uint8Array;
  /** The longest that the visitor waited for an answer or a page between that step and the end, milliseconds. */
  readonly waitedMs: Uint32Array;
}

export interface FunnelOptions {
  readonly steps: readonly FunnelStep[];
  /** All steps are done within so long after the first. */
  readonly withinMs: number;
  /** Passages are counted once a visit, or once a user: then the visit counts that came farthest. */
  readonly per: 'visit' | 'user';
}

/** Passages of the visits that began in the window and reached the first step: the first match of each step in order, within a time after the first. */
export function passages(slots: readonly NarrowedSlot[], scope: VisitScope, options: FunnelOptions): Passages {
  const { steps, withinMs, per } = options;
  const into = new PassageRows(Math.max(0, steps.length - 1));
  const placeOfUser = new Map<string, number>();
  const texts = new Map(steps.map(({ kind, name }, index) => [`${kind} ${name}`, index]));
  for (const [slot, it] of slots.entries()) {
    const begin = codesOf(it.visits, 'at').values;
    const user = codesOf(it.visits, 'user');
    const step = listsOf(it.visits, 'step');
    const [at, took, flags] = ['stepAt', 'stepTook', 'stepFlags'].map((name) => listsOf(it.visits, name).items);
    /** By text of the slot: which step of the funnel it is, -1 for none. */
    const codeOf = Int16Array.from(step.texts, (text) => texts.get(text) ?? -1);
    if (!codeOf.includes(0)) continue;
    const { items, offsets } = step;
    into.makeRoom(it.visits.rows);
    const { reached, between, waits, ends, waitedMs } = into;
    for (let row = 0; row < it.visits.rows; row++) {
      const time = it.fromMs + begin[row];
      if (!it.passes[row] || time < scope.fromMs || time >= scope.toMs) continue;
      const to = offsets[row + 1];
      let item = offsets[row];
      // A press without an effect is an attempt, not a step.
      while (item < to && !(codeOf[items[item]] === 0 && flags[item] & STEP_WORKED)) item++;
      if (item === to) continue;
      const passage = into.count;
      const first = at[item];
      let [done, place, longest] = [1, item, took[item]];
      for (item++; item < to && done < steps.length; item++) {
        if (codeOf[items[item]] === done && flags[item] & STEP_WORKED) {
          if (at[item] - first > withinMs) break;
          between[done - 1][passage] = at[item] - at[place];
          waits[done - 1][passage] = Math.max(0, longest - 1);
          done++;
          place = item;
          longest = 0;
        }
        if (took[item] > longest) longest = took[item];
      }
      let [happened, waited] = [0, 0];
      for (item = place; item < to; item++) {
        happened |= flags[item];
        if (took[item] > waited) waited = took[item];
      }
      reached[passage] = done;
      ends[passage] = happened & (STEP_CRASH | STEP_ERROR);
      waitedMs[passage] = Math.max(0, waited - 1);
      into.slots[passage] = slot;
      into.rows[passage] = row;
      const name = per === 'user' ? user.texts[user.values[row] - 1] : undefined;
      const known = name === undefined ? undefined : placeOfUser.get(name);
      if (known === undefined) {
        if (name !== undefined) placeOfUser.set(name, passage);
        into.count++;
      } else {
        if (reached[known] < done) into.copy(passage, known);
        into.clear(passage);
      }
    }
  }
  return into.finish();
}

/** Passages that are chosen, in their order. */
export function chosenPassages(of: Passages, isChosen: (at: number) => boolean): Passages {
  const places = new Uint32Array(of.count);
  let count = 0;
  for (let at = 0; at < of.count; at++) if (isChosen(at)) places[count++] = at;
  if (count === of.count) return of;
  const pick = <Column extends Uint32Array | Uint8Array>(column: Column, into: Column): Column => {
    for (let at = 0; at < count; at++) into[at] = column[places[at]];
    return into;
  };
  const wide = (column: Uint32Array) => pick(column, new Uint32Array(count));
  return {
    count,
    slots: wide(of.slots),
    rows: wide(of.rows),
    reached: pick(of.reached, new Uint8Array(count)),
    between: of.between.map(wide),
    waits: of.waits.map(wide),
    ends: pick(of.ends, new Uint8Array(count)),
    waitedMs: wide(of.waitedMs),
  };
}

const LEAST_ROOM = 1_024;

/** Columns of passages while rows are added. */
class PassageRows {
  count = 0;
  #room = 0;
  slots: Uint32Array = new Uint32Array(0);
  rows: Uint32Array = new Uint32Array(0);
  reached: Uint8Array = new Uint8Array(0);
  between: Uint32Array[];
  waits: Uint32Array[];
  ends: Uint8Array = new Uint8Array(0);
  waitedMs: Uint32Array = new Uint32Array(0);

  constructor(steps: number) {
    this.between = Array.from({ length: steps }, () => new Uint32Array(0));
    this.waits = Array.from({ length: steps }, () => new Uint32Array(0));
  }

  /** Makes room for so many rows more. The columns may be others after it. */
  makeRoom(more: number): void {
    if (this.count + more <= this.#room) return;
    this.#room = Math.max(LEAST_ROOM, 2 * this.#room, this.count + more);
    const wide = (column: Uint32Array) => enlarged(column, new Uint32Array(this.#room));
    const narrow = (column: Uint8Array) => enlarged(column, new Uint8Array(this.#room));
    this.slots = wide(this.slots);
    this.rows = wide(this.rows);
    this.reached = narrow(this.reached);
    this.between = this.between.map(wide);
    this.waits = this.waits.map(wide);
    this.ends = narrow(this.ends);
    this.waitedMs = wide(this.waitedMs);
  }

  copy(from: number, to: number): void {
    for (const column of this.#columns()) column[to] = column[from];
  }

  clear(at: number): void {
    for (const column of this.#columns()) column[at] = 0;
  }

  finish(): Passages {
    const { count } = this;
    const wide = (column: Uint32Array) => column.subarray(0, count);
    return {
      count,
      slots: wide(this.slots),
      rows: wide(this.rows),
      reached: this.reached.subarray(0, count),
      between: this.between.map(wide),
      waits: this.waits.map(wide),
      ends: this.ends.subarray(0, count),
      waitedMs: wide(this.waitedMs),
    };
  }

  #columns(): (Uint32Array | Uint8Array)[] {
    return [this.slots, this.rows, this.reached, ...this.between, ...this.waits, this.ends, this.waitedMs];
  }
}

function enlarged<Column extends Uint32Array | Uint8Array>(from: Column, into: Column): Column {
  into.set(from);
  return into;
}
