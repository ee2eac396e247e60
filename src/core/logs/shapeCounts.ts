import { codesOf, listsOf, type Segment } from '../columns/segment.ts';
import { SHAPE, VALUES } from './logColumns.ts';
import type { Shape } from './shapeTree.ts';
import { HOLE, shapeId, type Template } from './template.ts';

/** A shape with what somebody decided about it. */
export interface DecidedShape extends Shape {
  /** The id of the shape that it is counted together with by hand; null where it is not. */
  readonly joinedTo: string | null;
  readonly apartOf: string | null;
}

/** Between the id of the shape that a line matched and that of the one it is told apart as. */
const APART = '>';
/** Shapes that are told apart of one, at most. */
export const MOST_APART = 20;

/** What a line has to have to be told apart: the values of its holes, by the place of the hole; several are put together. */
interface Told {
  readonly id: string;
  readonly needs: readonly (readonly [pieces: readonly (string | number)[], text: string])[];
}

/**
 * As which shape a line is counted today: what its shape has become as more lines came, and what somebody decided since. Stored lines keep
 * the id of the shape that they matched, so that a decision holds for all lines, and can be taken back.
 */
export class ShapeCounts {
  readonly #shapes: ReadonlyMap<string, DecidedShape>;
  /** By shape, as the tree has it today, the one that it is counted together with. */
  readonly #joined = new Map<string, string>();
  /** By shape those that are told apart of it, the most particular first. */
  readonly #apart = new Map<string, DecidedShape[]>();
  readonly #counted = new Map<string, string>();
  readonly #told = new Map<string, readonly Told[]>();
  readonly #segments = new WeakMap<Segment, Segment>();

  constructor(shapes: ReadonlyMap<string, DecidedShape>) {
    this.#shapes = shapes;
    for (const { id, joinedTo } of shapes.values()) if (joinedTo !== null) this.#joined.set(this.#today(id), joinedTo);
    for (const shape of shapes.values()) {
      if (shape.apartOf === null) continue;
      const of = this.#today(shape.apartOf);
      this.#apart.set(of, [...(this.#apart.get(of) ?? []), shape]);
    }
    for (const some of this.#apart.values()) some.sort((a, b) => holeCount(a.template) - holeCount(b.template));
  }

  /** The shape that lines of an id are counted as; the id may be one that `tellApart` gave. */
  countedAs(id: string): string {
    let counted = this.#counted.get(id);
    if (counted === undefined) {
      const at = id.indexOf(APART);
      counted = this.#together(at < 0 ? id : id.slice(at + 1));
      this.#counted.set(id, counted);
    }
    return counted;
  }

  /** The shape that lines of an id are of as they were found, whatever was decided since. */
  asFound(id: string): string {
    return this.#today(ownId(id));
  }

  /** The template that the values of a line belong to. @param id as a segment has it */
  own(id: string): Template | undefined {
    return this.#shapes.get(ownId(id))?.template;
  }

  template(id: string): Template | undefined {
    return this.#shapes.get(id)?.template;
  }

  /** Shapes that somebody counts together as this one. */
  joinedAs(id: string): string[] {
    if (this.#joined.size === 0) return [];
    return [...this.#shapes.values()].filter((it) => it.joinedTo !== null && this.countedAs(it.id) === id).map((it) => it.id);
  }

  /** Shapes that somebody told apart of this one. */
  apartOf(id: string): string[] {
    return (this.#apart.get(id) ?? []).map((it) => it.id);
  }

  /** A segment of lines in which those that are told apart have an id that says so. */
  tellApart(segment: Segment): Segment {
    if (this.#apart.size === 0) return segment;
    const known = this.#segments.get(segment);
    if (known) return known;
    const told = this.#toldApart(segment);
    this.#segments.set(segment, told);
    return told;
  }

  #toldApart(segment: Segment): Segment {
    const shape = codesOf(segment, SHAPE);
    const told = shape.texts.map((id) => this.#toldOf(id));
    if (told.every((it) => it.length === 0)) return segment;
    const lists = listsOf(segment, VALUES);
    const texts = [...shape.texts];
    const codeOf = new Map<string, number>();
    const codes = new Uint32Array(shape.values);
    for (let row = 0; row < codes.length; row++) {
      const code = codes[row];
      if (code === 0) continue;
      for (const it of told[code - 1]) {
        if (!fits(it, (hole) => lists.texts[lists.items[lists.offsets[row] + hole]])) continue;
        const id = `${texts[code - 1]}${APART}${it.id}`;
        let other = codeOf.get(id);
        if (other === undefined) {
          other = texts.push(id);
          codeOf.set(id, other);
        }
        codes[row] = other;
        break;
      }
    }
    if (codeOf.size === 0) return segment;
    const column = { type: 'codes', values: codes, texts } as const;
    return { rows: segment.rows, names: segment.names, column: (name) => (name === SHAPE ? column : segment.column(name)) };
  }

  #toldOf(id: string): readonly Told[] {
    let told = this.#told.get(id);
    if (!told) {
      const own = this.#shapes.get(id);
      const all = own ? this.#steps(id).flatMap((it) => this.#allApart(it)) : [];
      told = all.flatMap((it) => {
        const needs = needsOf(own!.template, it.template);
        return needs ? [{ id: it.id, needs }] : [];
      });
      this.#told.set(id, told);
    }
    return told;
  }

  /** Those that are told apart of one that is told apart stand before it. */
  #allApart(id: string): DecidedShape[] {
    const some = this.#apart.get(id) ?? [];
    return some.flatMap((it) => [...(this.#apart.has(it.id) ? this.#allApart(it.id) : []), it]);
  }

  /** What the tree has made of a shape. */
  #today(id: string): string {
    const seen = new Set<string>();
    for (let at = id; ; ) {
      const to = this.#shapes.get(at)?.countedAs ?? at;
      if (to === at || seen.has(to)) return at;
      seen.add(to);
      at = to;
    }
  }

  #together(id: string): string {
    return this.#steps(id).at(-1)!;
  }

  /** The shapes that a shape is counted as, from what the tree has made of it to the last that it was joined to. */
  #steps(id: string): string[] {
    const steps = [this.#today(id)];
    for (;;) {
      const joined = this.#joined.get(steps.at(-1)!);
      const next = joined === undefined ? undefined : this.#today(joined);
      // Never in a circle by itself, but a broken store must not stop a page.
      if (next === undefined || steps.includes(next)) return steps;
      steps.push(next);
    }
  }
}

/** The shape that a line matched, of an id that may say as what it is told apart. */
export function ownId(id: string): string {
  const at = id.indexOf(APART);
  return at < 0 ? id : id.slice(0, at);
}

function fits({ needs }: Told, at: (hole: number) => string | undefined): boolean {
  return needs.every(([pieces, text]) => pieces.map((it) => (typeof it === 'number' ? (at(it) ?? '') : it)).join('') === text);
}

/** What a line of a template must have to be of a narrower one; undefined when none is. */
function needsOf(own: Template, narrow: Template): Told['needs'] | undefined {
  if (own.length !== narrow.length) return undefined;
  const needs: (readonly [(string | number)[], string])[] = [];
  let hole = 0;
  for (const [at, part] of own.entries()) {
    const pieces = part.split(HOLE).flatMap((text, index): (string | number)[] => {
      const literal = text === '' ? [] : [text];
      return index === 0 ? literal : [hole++, ...literal];
    });
    if (part === narrow[at] || narrow[at] === HOLE) continue;
    // A word that both have a hole in, but another one, is the same for no line; so is a word that is another one.
    if (narrow[at].includes(HOLE) || pieces.every((it) => typeof it === 'string')) return undefined;
    needs.push([pieces, narrow[at]]);
  }
  return needs;
}

function holeCount(template: Template): number {
  return template.join('').split(HOLE).length - 1;
}

/** What lines of two shapes have in common, as a template of its own; undefined where their words do not stand in the same places. */
export function jointTemplate(templates: readonly Template[]): Template | undefined {
  const [first, ...others] = templates;
  if (others.some((it) => it.length !== first.length || it.some((part, at) => at % 2 === 0 && part !== first[at])))
    return undefined;
  return first.map((part, at) => (others.every((it) => it[at] === part) ? part : HOLE));
}

/** The shape whose lines have a value in a hole of a template. @param hole from 0 */
export function apartTemplate(template: Template, hole: number, value: string): { id: string; template: Template } {
  let next = 0;
  const parts = template.map((part) =>
    part.split(HOLE).reduce((text, literal) => `${text}${next++ === hole ? value : HOLE}${literal}`),
  );
  return { id: shapeId(parts), template: parts };
}
