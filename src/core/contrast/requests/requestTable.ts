import { type ContrastBlock, type ContrastSource, eachMember, GROUPS } from './contrastSource.ts';
import { type Expected, heldAgainst, type SetSums } from './facetSums.ts';
import type { RequestSet } from './requestSet.ts';

const WORD = 32;
const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));
const ID_BYTES = 16;
const BINS_AN_OCTAVE = 3;

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
  /** Of each set a bit a request. */
  readonly #bits: readonly Uint32Array[];
  readonly #words: number;
  #bins: Uint8Array | undefined;
  /** Requests of B by minute, counted from the first. */
  #minutes: { readonly first: number; readonly counts: Float64Array } | undefined;
  #isWeighted = false;
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
    this.#words = Math.ceil(count / WORD);
    this.#bits = sets.map(() => new Uint32Array(this.#words));
  }

  add(block: ContrastBlock, expected: Expected): void {
    const first = this.#filled;
    const held = heldAgainst(block, expected);
    eachMember(block, this.sets, (set, at) => {
      this.#bits[set][(first + at) >>> 5] |= 1 << ((first + at) & 31);
    });
    for (let at = 0; at < block.count; at++) {
      const to = first + at;
      this.isA[to] = block.isA[at];
      this.outcome[to] = block.outcome[at];
      this.less[to] = held.outcome[at];
      this.log[to] = held.log[at];
      this.weight[to] = block.weight[at];
      if (block.weight[at] !== 1) this.#isWeighted = true;
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

  /** Goes through the requests of some members, in order. */
  eachOf(members: Members, visit: (at: number) => void): void {
    for (let word = 0; word < this.#words; word++) {
      const end = this.#filled - word * WORD;
      if (end <= 0) return;
      let all = end >= WORD ? -1 : (1 << end) - 1;
      for (let part = 0; all !== 0 && part < members.length; part++) {
        let any = 0;
        for (const set of members[part]) any |= this.#bits[set][word];
        all &= any;
      }
      // The lowest bit that is left, one after the other.
      for (let bits = all; bits !== 0; bits &= bits - 1) visit(word * WORD + 31 - Math.clz32(bits & -bits));
    }
  }

  /** How many requests two sets share, for all sets: [one][other], weighted; on the diagonal those of each. */
  shared(): Float64Array[] {
    const counts = this.sets.map(() => new Float64Array(this.sets.length));
    for (let one = 0; one < this.sets.length; one++)
      for (let other = one; other < this.sets.length; other++) {
        const count = this.#isWeighted ? this.#weightOf([[one], [other]]) : bitsInBoth(this.#bits[one], this.#bits[other]);
        counts[one][other] = count;
        counts[other][one] = count;
      }
    return counts;
  }

  #weightOf(members: Members): number {
    let weight = 0;
    this.eachOf(members, (at) => {
      weight += this.weight[at];
    });
    return weight;
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

  /** Of each request the third of an octave that its outcome lies in, from a nanosecond on. */
  get bins(): Uint8Array {
    this.#bins ??= Uint8Array.from(this.outcome, (it) => Math.floor(BINS_AN_OCTAVE * Math.log2(Math.max(1, it))));
    return this.#bins;
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

/** How many bits are set in both of two lists of as many words. */
function bitsInBoth(one: Uint32Array, other: Uint32Array): number {
  let count = 0;
  for (let word = 0; word < one.length; word++) {
    // Bits of pairs, then of four, of bytes, of all (Warren, Hacker's Delight, 5-1).
    let bits = one[word] & other[word];
    bits -= (bits >>> 1) & 0x55555555;
    bits = (bits & 0x33333333) + ((bits >>> 2) & 0x33333333);
    count += Math.imul((bits + (bits >>> 4)) & 0x0f0f0f0f, 0x01010101) >>> 24;
  }
  return count;
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
