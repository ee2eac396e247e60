import type { Segment } from '../columns/segment.ts';
import { HOLE, type Template } from './template.ts';

/** The column that says which four characters in a row stand in what varies of the lines of a segment: a bit each, by hash. */
export const FILTER = 'filter';

/** Bits of a filter while it is written; at the end it is folded to about two bytes a line. */
const MOST_BITS = 2 ** 19;
const LEAST_BITS = 2 ** 8;
const BITS_A_LINE = 8;
/** Characters that are looked at together: of three, nearly all that ids are made of are met in any ten minutes. */
const RUN = 4;

/** In lower case, with letters as one that a pattern takes for one, or whose small form tells whether a word ends there: s and sigma. */
function folded(text: string): string {
  return text.toLowerCase().replaceAll('\u017f', 's').replaceAll('\u03c2', '\u03c3');
}

/** One of 2^19, for four characters in a row. */
function hashOf(text: string, at: number): number {
  let hash =
    Math.imul(text.charCodeAt(at), 0x9e3779b1) ^
    Math.imul(text.charCodeAt(at + 1), 0x85ebca6b) ^
    Math.imul(text.charCodeAt(at + 2), 0xc2b2ae35) ^
    Math.imul(text.charCodeAt(at + 3), 0x27d4eb2f);
  hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d);
  return (hash ^ (hash >>> 12)) >>> 13;
}

/**
 * Notes what varies in lines, with the characters around it, so that a text that is looked for can be said not to be there without looking through
 * them (n-gram index; one hash of a Bloom filter). What a template says is known by itself.
 */
export class TextFilterWriter {
  readonly #bits = new Uint8Array(MOST_BITS / 8);

  /** A line of a template filled with values. */
  add(template: Template, values: readonly string[]): void {
    let text = '';
    let next = 0;
    const varies: number[] = [];
    for (const part of template) {
      let from = 0;
      for (let at = part.indexOf(HOLE); at >= 0; at = part.indexOf(HOLE, from)) {
        text += part.slice(from, at);
        varies.push(text.length);
        text += values[next++] ?? '';
        varies.push(text.length);
        from = at + 1;
      }
      text += part.slice(from);
    }
    const lower = folded(text);
    // A character whose small form is longer moves all that comes after it.
    if (lower.length !== text.length) this.#addRuns(lower, 0, lower.length);
    else for (let at = 0; at < varies.length; at += 2) this.#addRuns(lower, varies[at] - RUN + 1, varies[at + 1] + RUN - 1);
  }

  /** A line that is kept as a whole text, without a template. */
  addWhole(text: string): void {
    const lower = folded(text);
    this.#addRuns(lower, 0, lower.length);
  }

  #addRuns(lower: string, from: number, to: number): void {
    const last = Math.min(to, lower.length) - RUN;
    for (let at = Math.max(0, from); at <= last; at++) {
      const hash = hashOf(lower, at);
      this.#bits[hash >> 3] |= 1 << (hash & 7);
    }
  }

  /** @returns so many bytes for each of some rows, one after the other */
  finish(rows: number): { width: number; values: Uint8Array } {
    let bits = MOST_BITS;
    while (bits > LEAST_BITS && bits / 2 >= rows * BITS_A_LINE) bits /= 2;
    const folded = new Uint8Array(bits / 8);
    for (let at = 0; at < this.#bits.length; at++) folded[at & (folded.length - 1)] |= this.#bits[at];
    const width = Math.ceil(folded.length / rows);
    const values = new Uint8Array(width * rows);
    values.set(folded);
    return { width, values };
  }
}

/** By template what four characters in a row its literal text has. */
const literal = new WeakMap<Template, ReadonlySet<number>>();

function literalRuns(template: Template): ReadonlySet<number> {
  let runs = literal.get(template);
  if (!runs) {
    const found = new Set<number>();
    for (const piece of folded(template.join('')).split(HOLE))
      for (let at = 0; at + RUN <= piece.length; at++) found.add(hashOf(piece, at));
    runs = found;
    literal.set(template, runs);
  }
  return runs;
}

/**
 * Whether lines of a segment can have a text, by the template of their shape: false only when none has.
 *
 * @param sought in lower case
 */
export function mayHave(segment: Segment, sought: string): (template: Template | undefined) => boolean {
  const text = folded(sought);
  const column = text.length < RUN ? undefined : segment.column(FILTER);
  if (column?.type !== 'bytes') return () => true;
  const { values } = column;
  // Folded to a power of two; what stands behind it fills the last rows.
  const bits = 2 ** Math.floor(Math.log2(values.length * 8));
  const missing: number[] = [];
  for (let at = 0; at + RUN <= text.length; at++) {
    const hash = hashOf(text, at);
    const bit = hash & (bits - 1);
    if ((values[bit >> 3] & (1 << (bit & 7))) === 0) missing.push(hash);
  }
  if (missing.length === 0) return () => true;
  return (template) => {
    if (!template) return true;
    const runs = literalRuns(template);
    return missing.every((hash) => runs.has(hash));
  };
}

/**
 * A text that all texts which a pattern fits have in them, in lower case, as far as that is seen at once: the longest plain stretch outside of groups;
 * `''` when there is none.
 *
 * @param source of a regular expression without flags within it
 */
export function neededBy(source: string): string {
  // Of several ways nothing is needed for certain; nor of groups with flags, quoted stretches, characters by number, named classes.
  if (/\||\(\?|\[\^?\[|\[:|\\[^\WdDwWsSbBAznrtfv]/.test(source)) return '';
  let longest = '';
  let run = '';
  let depth = 0;
  const end = () => {
    if (run.length > longest.length) longest = run;
    run = '';
  };
  for (const [token] of source.matchAll(TOKENS)) {
    if (token === '(') depth++;
    if (token === ')') depth--;
    // A character that may be left out, or come again.
    if (QUANTIFIER.test(token) && token !== '+') run = run.slice(0, -1);
    const plain = token.length === 1 && PLAIN.test(token) ? token : ESCAPED.test(token) ? token[1] : undefined;
    if (plain !== undefined && depth === 0) run += plain;
    else end();
  }
  end();
  return folded(longest);
}

/** A class, a count, an escaped character, or one character. */
const TOKENS = /\[\^?(?:\\[\s\S]|[^\\])(?:\\[\s\S]|[^\]\\])*\]|\{[^}]*\}|\\[\s\S]|[\s\S]/g;
const QUANTIFIER = /^(?:[*+?]|\{[^}]*\})$/;
const PLAIN = /[^\\^$.*+?()[\]{}|]/;
const ESCAPED = /^\\[^\w]$/;
