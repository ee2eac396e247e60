/** Where values of a key are found: in an attribute of lines, or in a hole of a shape. */
export type KeySource = { readonly attribute: string } | { readonly shape: string; readonly hole: number };

/** A key by which lines can be stitched. */
export interface StitchKey {
  /** Its attribute, or what stands before its first hole; the same for the same data. */
  readonly name: string;
  readonly sources: readonly KeySource[];
  /** In the lines that were looked at: values that join lines of two shapes at least, all its values, and lines that have one. */
  readonly joined: number;
  readonly values: number;
  readonly lines: number;
  /** Services and shapes that a value is met in, on average. */
  readonly services: number;
  readonly shapes: number;
  readonly sample: string;
}

/** Values of a source that are kept; sources that are looked at. */
const MOST_VALUES = 4_000;
const MOST_SOURCES = 600;
/** Values of all sources together: about 500 bytes each. */
const MOST_MET = 200_000;
/** A key has so many values at least: with fewer it is a kind, not a thing. */
const LEAST_VALUES = 12;
/** Of the values of the smaller source, those that must be met in the other for both to be one key. */
const SAME = 0.3;
const SAME_OF_FEW = 0.6;
/** A value in more lines than this names no single thing. */
const MOST_LINES_A_VALUE = 400;

/** The values that were met at one source. */
export interface Source {
  readonly source: KeySource;
  readonly values: Map<string, { lines: number; readonly services: Set<string>; readonly shapes: Set<string> }>;
  lines: number;
}

/** Whether a text can name one thing among many: OR7C41E9, a uuid, 100345; not 17, not "tern marram". */
export function isReference(text: string): boolean {
  if (text.length < 5 || text.length > 80 || /\s/.test(text) || !/\d/.test(text)) return false;
  return /^\d+$/.test(text) ? text.length >= 6 : !/^[+-]?\d[\d.,:eE+-]*$/.test(text) && /[A-Za-z]/.test(text);
}

/** Looks for keys among lines: sources that share their values are one key. */
export class KeySearch {
  readonly #sources = new Map<string, Source>();
  #met = 0;

  /** Where values are added; undefined when there are too many sources. */
  sourceOf(source: KeySource): Source | undefined {
    const name = nameOf(source);
    let of = this.#sources.get(name);
    if (!of && this.#sources.size < MOST_SOURCES) {
      of = { source, values: new Map(), lines: 0 };
      this.#sources.set(name, of);
    }
    return of;
  }

  /** Adds a value met in a line: by whom it was written, in which shape. */
  add(of: Source, value: string, service: string, shape: string): void {
    of.lines++;
    let met = of.values.get(value);
    if (!met) {
      if (of.values.size >= MOST_VALUES || this.#met >= MOST_MET) return;
      this.#met++;
      met = { lines: 0, services: new Set(), shapes: new Set() };
      of.values.set(value, met);
    }
    met.lines++;
    met.services.add(service);
    met.shapes.add(shape);
  }

  /** The keys that were found, those that join most first: by lines of several shapes and services, few gaps. */
  found(): StitchKey[] {
    const sources = [...this.#sources.values()].filter(({ values, lines }) => lines / values.size <= MOST_LINES_A_VALUE);
    // Larger ones first: what belongs to a key is found in its largest source.
    sources.sort((a, b) => b.values.size - a.values.size || (nameOf(a.source) < nameOf(b.source) ? -1 : 1));
    const keys: Source[][] = [];
    for (const it of sources) {
      const like = keys.find((of) => of.some((other) => isSameKey(other, it)));
      if (like) like.push(it);
      else if (it.values.size >= LEAST_VALUES) keys.push([it]);
    }
    return keys
      .map(describe)
      .filter(({ joined }) => joined >= LEAST_VALUES)
      .sort((a, b) => scoreOf(b) - scoreOf(a) || (a.name < b.name ? -1 : 1));
  }
}

function isSameKey(one: Source, other: Source): boolean {
  const [small, large] = one.values.size < other.values.size ? [one, other] : [other, one];
  let shared = 0;
  for (const value of small.values.keys()) if (large.values.has(value)) shared++;
  // A rare shape has few values; those must be the key's for the most part.
  return shared >= (small.values.size < LEAST_VALUES ? SAME_OF_FEW : SAME) * small.values.size;
}

function describe(of: readonly Source[]): StitchKey {
  const met = new Map<string, { services: Set<string>; shapes: Set<string>; lines: number }>();
  for (const { values } of of)
    for (const [value, { services, shapes, lines }] of values) {
      const known = met.get(value) ?? { services: new Set<string>(), shapes: new Set<string>(), lines: 0 };
      met.set(value, known);
      for (const it of services) known.services.add(it);
      for (const it of shapes) known.shapes.add(it);
      known.lines = Math.max(known.lines, lines);
    }
  const all = [...met.values()];
  const mean = (size: (it: (typeof all)[number]) => number) =>
    all.reduce((sum, it) => sum + size(it), 0) / Math.max(1, all.length);
  const attribute = of.flatMap(({ source }) => ('attribute' in source ? source.attribute : []))[0];
  const best = all.length === 0 ? '' : [...met].reduce((a, b) => (b[1].shapes.size > a[1].shapes.size ? b : a))[0];
  return {
    name: attribute ?? nameOf(of[0].source),
    sources: of.map(({ source }) => source),
    joined: all.filter(({ shapes }) => shapes.size >= 2).length,
    values: all.length,
    lines: all.reduce((sum, { lines }) => sum + lines, 0),
    services: mean(({ services }) => services.size),
    shapes: mean(({ shapes }) => shapes.size),
    sample: best,
  };
}

/** How well a key joins: how many of its values join lines, of how many shapes, of how many services. */
function scoreOf({ joined, values, shapes, services }: StitchKey): number {
  return (joined / values) * Math.log2(1 + shapes) * services * Math.log2(1 + joined);
}

export function nameOf(source: KeySource): string {
  return 'attribute' in source ? source.attribute : `${source.shape}.${source.hole}`;
}
