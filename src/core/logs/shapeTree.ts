import { type MaskedLine, wordOf } from './maskLine.ts';
import { HOLE, shapeId, type Template } from './template.ts';

/** A shape as it is stored. */
export interface Shape {
  readonly id: string;
  readonly template: Template;
  /** The id of the shape that it is counted as: its own, or that of the one that it became. */
  readonly countedAs: string;
  /** Whether lines were forced into it because there were too many shapes. */
  readonly coarse: boolean;
  /** The id of the shape that its lines match, when it was told apart from it by hand. @see ShapeCounts */
  readonly apartOf?: string | null;
}

/** What a line was found to be. */
export interface Matched {
  readonly shape: Shape;
  /** One for each hole of the shape's template. */
  readonly values: readonly string[];
}

interface Cluster {
  shape: Shape;
  /** Words of the template. */
  words: string[];
}

interface Leaf {
  /** The words that lead to it. */
  readonly way: readonly string[];
  readonly clusters: Cluster[];
}

/** Words that lead to a leaf. */
const DEPTH = 2;
/** Different words at a step. With more of them the word there is taken to vary, and what they lead to is joined. */
const MOST_CHILDREN = 16;
/** Shapes in a leaf; of more, all that share its way are one. */
const MOST_IN_LEAF = 40;
/** Shapes in all; from then on lines join what there is, or the one of their leaf. */
export const MOST_SHAPES = 5_000;
/** Coarse ones beyond that. */
const MOST_COARSE = 1_000;
/** Templates that are stored, those that became others among them. With so many, lines that fit none are `ANY_LINE`. */
export const MOST_STORED = 12_000;
/** More than this share of the words that do not vary by themselves must be equal: half is not enough, or "hold placed" is "hold released". */
const SIMILAR = 0.5;

/**
 * Message shapes: a parse tree of fixed depth (He, Zhu, Zheng, Lyu: Drain, ICWS 2017). A line goes by its separators, then by its first
 * words to a leaf; there it joins the shape that has most words in common with it, or is a new one. Memory is bounded whatever the lines are:
 * with too many shapes new lines are forced into coarse ones.
 */
export class ShapeTree {
  readonly #leaves = new Map<string, Leaf>();
  readonly #children = new Map<string, Set<string>>();
  readonly #shapes = new Map<string, Shape>();
  readonly #exact = new Map<string, Cluster>();
  /** Shapes that are new or were generalised since the tree was made. */
  readonly changed = new Map<string, Shape>();

  /** @param shapes all that are stored */
  constructor(shapes: Iterable<Shape> = []) {
    const all = [...shapes];
    for (const shape of all) this.#shapes.set(shape.id, shape);
    for (const shape of all) {
      // What was told apart by hand is counted by the values of its lines; they match the shape that it was told apart of, as ever.
      if (shape.apartOf) continue;
      const { separators, words } = partsOf(shape.template);
      const leaf = this.#leafOf(separators, words);
      // One that became another has its lines counted there, but they are found by its own template still.
      if (shape.countedAs === shape.id || !this.#shapes.has(shape.countedAs)) leaf.clusters.push({ shape, words });
      else this.#exact.set(shape.template.join('\u0000'), { shape, words });
    }
  }

  get size(): number {
    return this.#shapes.size;
  }

  /** The shape of a line; a new one, or a more general one than before, when none fits. */
  match(line: MaskedLine): Matched {
    const key = line.parts.join('\u0000');
    const known = this.#exact.get(key);
    if (known) return matched(known, line);
    const { separators, words } = partsOf(line.parts);
    const leaf = this.#leafOf(separators, words);
    const cluster = this.#clusterIn(leaf, words, line.parts);
    if (!cluster) return { shape: this.#shapeOf(ANY_LINE, true), values: [textOf(line)] };
    if (this.#exact.size < MOST_EXACT) this.#exact.set(key, cluster);
    return matched(cluster, line);
  }

  #clusterIn(leaf: Leaf, words: readonly string[], parts: Template): Cluster | undefined {
    let best: Cluster | undefined;
    let bestScore = -1;
    for (const cluster of leaf.clusters) {
      const score = similarity(cluster.words, words);
      if (score > bestScore) [best, bestScore] = [cluster, score];
    }
    if (best && bestScore > SIMILAR) return this.#widen(best, words, parts, false);
    if (this.#shapes.size >= MOST_STORED) return undefined;
    if (leaf.clusters.length < MOST_IN_LEAF && this.#shapes.size < MOST_SHAPES) {
      const cluster = { shape: this.#shapeOf(parts, false), words: [...words] };
      leaf.clusters.push(cluster);
      return cluster;
    }
    // Too many: what goes the same way is one coarse shape.
    const coarse = leaf.clusters.find(({ shape }) => shape.coarse);
    if (coarse) return this.#widen(coarse, words, parts, true);
    if (this.#shapes.size >= MOST_SHAPES + MOST_COARSE) return undefined;
    const wide = parts.map((part, at) => (at % 2 === 1 ? (leaf.way[(at - 1) / 2] ?? HOLE) : part));
    const cluster = { shape: this.#shapeOf(wide, true), words: partsOf(wide).words };
    leaf.clusters.push(cluster);
    return cluster;
  }

  /** Makes a shape general enough for a line; undefined when there is no room for another template. */
  #widen(cluster: Cluster, words: readonly string[], parts: Template, coarse: boolean): Cluster | undefined {
    if (cluster.words.every((word, at) => word === words[at] || word === HOLE)) return cluster;
    if (this.#shapes.size >= MOST_STORED) return undefined;
    const merged = cluster.words.map((word, at) => (word === words[at] || word === HOLE ? word : HOLE));
    const template = parts.map((part, at) => (at % 2 === 1 ? merged[(at - 1) / 2] : part));
    const former = cluster.shape;
    const shape = this.#shapeOf(template, coarse || former.coarse);
    cluster.words = merged;
    cluster.shape = shape;
    if (former.id !== shape.id) this.#note({ ...former, countedAs: shape.id });
    // Lines of the narrower template were remembered with it; from now on they are of the wider one.
    return cluster;
  }

  #shapeOf(template: Template, coarse: boolean): Shape {
    const id = shapeId(template);
    const known = this.#shapes.get(id);
    // What was generalised once may be met again as the general one.
    if (known && known.countedAs === id) return known;
    const shape = { id, template, countedAs: id, coarse };
    this.#note(shape);
    return shape;
  }

  #note(shape: Shape): void {
    this.#shapes.set(shape.id, shape);
    this.changed.set(shape.id, shape);
  }

  #leafOf(separators: string, words: readonly string[]): Leaf {
    let key = separators;
    const way: string[] = [];
    for (let depth = 0; depth < Math.min(DEPTH, words.length); depth++) {
      const children = this.#children.get(key) ?? new Set<string>();
      if (children.size === 0 && this.#children.size < MOST_LEAVES) this.#children.set(key, children);
      let word = words[depth].includes(HOLE) ? HOLE : words[depth];
      // A word that is known keeps its way, so that lines that were told apart stay so.
      if (children.has(EVERY) ? !children.has(word) : !children.has(word) && children.size >= MOST_CHILDREN) {
        if (!children.has(EVERY)) this.#join(key, children, way, depth);
        word = HOLE;
      } else children.add(word);
      way.push(word);
      key += `\u0000${word}`;
    }
    return this.#leafAt(key, way);
  }

  #leafAt(key: string, way: readonly string[]): Leaf {
    const known = this.#leaves.get(key);
    if (known) return known;
    const leaf = { way, clusters: [] };
    // Lines whose separators are like no others' find no room at last; see `ANY_LINE`.
    if (this.#leaves.size < MOST_LEAVES) this.#leaves.set(key, leaf);
    return leaf;
  }

  /** So many words at a step that it varies: at the last step those that are alike but for it become one, the others keep their way. */
  #join(key: string, children: Set<string>, way: readonly string[], depth: number): void {
    children.add(EVERY).add(HOLE);
    if (depth < DEPTH - 1) return;
    const joint = this.#leafAt(`${key}\u0000${HOLE}`, [...way, HOLE]);
    for (const word of children) {
      if (word === EVERY || word === HOLE) continue;
      const leaf = this.#leaves.get(`${key}\u0000${word}`);
      if (!leaf) continue;
      for (const cluster of leaf.clusters) {
        const like = joint.clusters.find((it) => similarity(it.words, cluster.words) > SIMILAR);
        if (like && this.#widen(like, cluster.words, cluster.shape.template, cluster.shape.coarse)) this.#become(cluster, like);
        else joint.clusters.push(cluster);
      }
      this.#leaves.delete(`${key}\u0000${word}`);
      children.delete(word);
    }
  }

  /** Lines of one cluster are of another from now on. */
  #become(cluster: Cluster, other: Cluster): void {
    if (cluster.shape.id !== other.shape.id) this.#note({ ...cluster.shape, countedAs: other.shape.id });
    for (const [key, it] of this.#exact) if (it === cluster) this.#exact.set(key, other);
  }
}

/** Among the words of a step: the word varies, whatever it is. */
const EVERY = '\u0003';

/** What lines become that find no room anywhere: all of the line is one value. */
const ANY_LINE: Template = ['', HOLE, ''];

function textOf({ parts, values }: MaskedLine): string {
  return parts.map((part, at) => (at % 2 === 1 ? wordOf(part, values[(at - 1) / 2]) : part)).join('');
}

/** Masked lines whose shape is remembered. */
const MOST_EXACT = 20_000;
const MOST_LEAVES = 20_000;

function partsOf(parts: Template): { separators: string; words: string[] } {
  const words: string[] = [];
  let separators = '';
  for (let at = 0; at < parts.length; at++) {
    if (at % 2 === 1) words.push(parts[at]);
    else separators += `${parts[at]}\u0002`;
  }
  return { separators, words };
}

/** The share of equal words among those of the line that do not vary by themselves. */
function similarity(template: readonly string[], words: readonly string[]): number {
  let equal = 0;
  let counted = 0;
  for (let at = 0; at < words.length; at++) {
    const word = words[at];
    // Where both vary there is nothing to tell them by.
    if (word.includes(HOLE) && template[at].includes(HOLE)) continue;
    counted++;
    if (template[at] === word) equal++;
  }
  return counted === 0 ? 1 : equal / counted;
}

/** The values of a line by the holes of a shape. */
function matched({ shape, words }: Cluster, line: MaskedLine): Matched {
  const values: string[] = [];
  for (let word = 0; word < line.values.length; word++) {
    const own = line.parts[2 * word + 1];
    if (words[word] === HOLE && own !== HOLE) values.push(wordOf(own, line.values[word]));
    else values.push(...line.values[word]);
  }
  return { shape, values };
}
