import { type ContrastBlock, type ContrastSource, GROUPS, membersOf } from './contrastSource.ts';
import { type Expected, heldAgainst, type SetSums } from './facetSums.ts';
import type { RequestSet } from './requestSet.ts';

const WORD = 32;
const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));
const ID_BYTES = 16;

/** Requests that belong to one at least of each list of sets, by the sets' indices. */
export type Members = readonly (readonly number[])[];

/** All requests of both populations, each with the sets to which it belongs; about 60 bytes a request. */
export class RequestTable {
  readonly count: number;
  readonly sets: readonly RequestSet[];
  readonly isA: Uint8Array;
  /** As it was, and less what is expected of its entry. */
  readonly outcome: Float64Array;
  readonly less: Float64Array;
  readonly log: Float64Array;
  readonly weight: Float64Array;
  readonly group: Uint8Array;
  readonly minute: Int32Array;
  readonly #ids: Uint8Array;
  readonly #user: Int32Array;
  readonly #users = new Map<string, number>();
  /** A bit a set; so many words of 32 bits a request. */
  readonly #bits: Uint32Array;
  readonly #words: number;
  readonly #lists = new Map<number, Uint32Array>();
  /** Requests of B by minute, counted from the first. */
  #minutes: { readonly first: number; readonly counts: Float64Array } | undefined;
  #filled = 0;

  /** @param count of all requests, at least */
  constructor(count: number, sets: readonly RequestSet[]) {
    this.count = count;
    this.sets = sets;
    this.isA = new Uint8Array(count);
    this.outcome = new Float64Array(count);
    this.less = new Float64Array(count);
    this.log = new Float64Array(count);
    this.weight = new Float64Array(count);
    this.group = new Uint8Array(count);
    this.minute = new Int32Array(count);
    this.#ids = new Uint8Array(count * ID_BYTES);
    this.#user = new Int32Array(count);
    this.#words = Math.max(1, Math.ceil(sets.length / WORD));
    this.#bits = new Uint32Array(count * this.#words);
  }

  add(block: ContrastBlock, expected: Expected): void {
    const first = this.#filled;
    const held = heldAgainst(block, expected);
    for (const [set, conditions] of this.sets.entries()) {
      const members = membersOf(block, conditions);
      const word = Math.floor(set / WORD);
      const bit = (1 << (set % WORD)) >>> 0;
      for (let at = 0; at < block.count; at++) if (members[at] === 1) this.#bits[(first + at) * this.#words + word] |= bit;
    }
    for (let at = 0; at < block.count; at++) {
      const to = first + at;
      this.isA[to] = block.isA[at];
      this.outcome[to] = block.outcome[at];
      this.less[to] = held.outcome[at];
      this.log[to] = held.log[at];
      this.weight[to] = block.weight[at];
      this.group[to] = block.group[at];
      this.minute[to] = block.minute[at];
      this.#user[to] = this.#userOf(block.user(at));
    }
    this.#ids.set(block.ids.subarray(0, block.count * ID_BYTES), first * ID_BYTES);
    this.#filled += block.count;
  }

  #userOf(user: string): number {
    if (user === '') return -1;
    let known = this.#users.get(user);
    if (known === undefined) {
      known = this.#users.size;
      this.#users.set(user, known);
    }
    return known;
  }

  /** Whether a request belongs to a set, by its index. */
  has(at: number, set: number): boolean {
    return (this.#bits[at * this.#words + (set >>> 5)] & (1 << (set & 31))) !== 0;
  }

  /** Sums of the requests of some members. */
  sumsOf(members: Members): SetSums {
    const sums = emptySetSums();
    const squares: [number, number] = [0, 0];
    this.eachOf(members, (at) => {
      const isA = this.isA[at] === 1;
      const group = this.group[at];
      const weight = this.weight[at];
      (isA ? sums.nA : sums.nB)[group] += weight;
      (isA ? sums.sumA : sums.sumB)[group] += weight * this.less[at];
      (isA ? sums.logA : sums.logB)[group] += weight * this.log[at];
      squares[isA ? 0 : 1] += weight * this.log[at] * this.log[at];
    });
    return { ...sums, logSquares: squares };
  }

  /** Goes through the requests of some members: along the shortest list of them. */
  eachOf(members: Members, visit: (at: number) => void): void {
    const words = this.#words;
    const bits = this.#bits;
    const single = members.filter((any) => any.length === 1).map(([set]) => this.#requestsOf(set));
    const along = single.length > 0 ? single.reduce((least, it) => (it.length < least.length ? it : least)) : undefined;
    const masks = members.map((any) => {
      const mask = new Uint32Array(words);
      for (const set of any) mask[set >>> 5] |= 1 << (set & 31);
      return mask;
    });
    const length = along ? along.length : this.count;
    for (let index = 0; index < length; index++) {
      const at = along ? along[index] : index;
      let all = true;
      for (let part = 0; all && part < masks.length; part++) {
        all = false;
        for (let word = 0; word < words; word++) if ((bits[at * words + word] & masks[part][word]) !== 0) all = true;
      }
      if (all) visit(at);
    }
  }

  /** The requests of one set, in order; remembered. */
  #requestsOf(set: number): Uint32Array {
    let known = this.#lists.get(set);
    if (!known) {
      const found = new Uint32Array(this.count);
      let count = 0;
      for (let at = 0; at < this.count; at++) if (this.has(at, set)) found[count++] = at;
      known = found.slice(0, count);
      this.#lists.set(set, known);
    }
    return known;
  }

  /** How many requests two sets share, for all sets: [one][other], weighted; on the diagonal those of each. */
  shared(): Float64Array[] {
    const counts = this.sets.map(() => new Float64Array(this.sets.length));
    const of: number[] = [];
    for (let at = 0; at < this.count; at++) {
      of.length = 0;
      for (let word = 0; word < this.#words; word++) {
        // The lowest bit that is left, one after the other.
        for (let bits = this.#bits[at * this.#words + word]; bits !== 0; bits &= bits - 1)
          of.push(word * WORD + 31 - Math.clz32(bits & -bits));
      }
      for (const one of of) for (const other of of) counts[one][other] += this.weight[at];
    }
    return counts;
  }

  /**
   * By how much the share of some members among those of B varies from minute to minute, in units of the variance that chance alone
   * gives (Pearson's statistic over its degrees of freedom); at least 1.
   */
  inflationOf(members: Members): number {
    this.#minutes ??= this.#minutesOfB();
    const { first, counts } = this.#minutes;
    const own = new Float64Array(counts.length);
    this.eachOf(members, (at) => {
      if (this.isA[at] === 0) own[this.minute[at] - first]++;
    });
    let [total, marked, minutes] = [0, 0, 0];
    for (const [minute, n] of counts.entries()) {
      total += n;
      marked += own[minute];
      if (n > 0) minutes++;
    }
    const share = marked / total;
    if (minutes < 5 || !(share > 0) || share >= 1) return 1;
    let statistic = 0;
    for (const [minute, n] of counts.entries())
      if (n > 0) statistic += (own[minute] - n * share) ** 2 / (n * share * (1 - share));
    return Math.max(1, statistic / (minutes - 1));
  }

  #minutesOfB(): { first: number; counts: Float64Array } {
    let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (let at = 0; at < this.count; at++) {
      if (this.isA[at] === 1) continue;
      first = Math.min(first, this.minute[at]);
      last = Math.max(last, this.minute[at]);
    }
    const counts = new Float64Array(last >= first ? last - first + 1 : 0);
    for (let at = 0; at < this.count; at++) if (this.isA[at] === 0) counts[this.minute[at] - first]++;
    return { first, counts };
  }

  idAt(at: number): string {
    let text = '';
    for (let byte = at * ID_BYTES; byte < (at + 1) * ID_BYTES; byte++) text += HEX[this.#ids[byte]];
    return text;
  }

  /** Those who asked, as a number each; -1 where it is not known. */
  userAt(at: number): number {
    return this.#user[at];
  }
}

function emptySetSums() {
  const zeros = () => new Float64Array(GROUPS);
  return { nA: zeros(), nB: zeros(), sumA: zeros(), sumB: zeros(), logA: zeros(), logB: zeros() };
}

/** The requests of a source with the sets to which they belong. @param count of all of them */
export async function readTable(
  source: ContrastSource,
  count: number,
  sets: readonly RequestSet[],
  expected: Expected,
): Promise<RequestTable> {
  const table = new RequestTable(count, sets);
  await source.scan((block) => table.add(block, expected));
  return table;
}
