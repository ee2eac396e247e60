/** Where a word of a template varies. */
export const HOLE = '\u0001';

/**
 * What lines of one shape have in common: separators and words in turn, a separator first and last (either may be empty). A word may be a hole
 * or hold some, as `lane-\u0001`. The text of a line is all of it with the holes filled.
 */
export type Template = readonly string[];

/** Stable for a template, whoever finds it and whenever: 64 bits of its text, 16 hex digits (two FNV-1a hashes with a final mix). */
export function shapeId(template: Template): string {
  // What parts cannot hold stands between them.
  const text = template.join('\u0000');
  return hash32(text, 0x811c9dc5) + hash32(text, 0x2f0b4c19);
}

function hash32(text: string, seed: number): string {
  let hash = seed;
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return ((hash ^ (hash >>> 16)) >>> 0).toString(16).padStart(8, '0');
}

/** How many values fill a template. */
export function holesOf(template: Template): number {
  let holes = 0;
  for (const part of template) for (let at = part.indexOf(HOLE); at >= 0; at = part.indexOf(HOLE, at + 1)) holes++;
  return holes;
}

/** The text of a line. @param values one for each hole */
export function fill(template: Template, values: readonly string[]): string {
  let text = '';
  let next = 0;
  for (const part of template) {
    let from = 0;
    for (let at = part.indexOf(HOLE); at >= 0; at = part.indexOf(HOLE, from)) {
      text += part.slice(from, at) + (values[next++] ?? '');
      from = at + 1;
    }
    text += part.slice(from);
  }
  return text;
}

/** A piece of a template as it is shown: literal text, or the number of a hole. */
export type TemplatePiece = string | { readonly hole: number };

/** A template in pieces: literal text joined where no hole is between. */
export function piecesOf(template: Template): TemplatePiece[] {
  const pieces: TemplatePiece[] = [];
  let hole = 0;
  for (const [at, literal] of template.join('').split(HOLE).entries()) {
    if (at > 0) pieces.push({ hole: hole++ });
    if (literal !== '') pieces.push(literal);
  }
  return pieces;
}

/** A template as one line of text, its holes as `…`. */
export function templateText(template: Template): string {
  return template.join('').replaceAll(HOLE, '…');
}

/** Literal text before and after a hole in its word. */
export interface WordAround {
  readonly before: string;
  readonly after: string;
}

/** Templates are few, and each is asked about for every stretch of time. */
const around = new WeakMap<Template, readonly WordAround[]>();

/** By hole the literal text before and after it in its word: `ord-` of `ord-\u0001`; none where a word has several holes. */
export function wordsAround(template: Template): readonly WordAround[] {
  let words = around.get(template);
  if (!words) {
    words = template.flatMap((part) => {
      const pieces = part.split(HOLE);
      if (pieces.length === 2) return [{ before: pieces[0], after: pieces[1] }];
      return Array.from({ length: pieces.length - 1 }, () => ({ before: '', after: '' }));
    });
    around.set(template, words);
  }
  return words;
}

/** Which hole of a more general template a hole of a narrower one has become; undefined when their words do not stand in the same places. */
export function holeAsOf(narrow: Template, general: Template, hole: number): number | undefined {
  if (narrow.length !== general.length) return undefined;
  let own = 0;
  let others = 0;
  for (const [at, part] of narrow.entries()) {
    const holes = holesOf([part]);
    const generalHoles = holesOf([general[at]]);
    if (hole < own + holes) {
      if (general[at] === HOLE) return others;
      return generalHoles === holes ? others + hole - own : undefined;
    }
    own += holes;
    others += generalHoles;
  }
  return undefined;
}
