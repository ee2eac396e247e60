import type { Node } from '@pgsql/types';
import { type Catalogue, distinctValues, type Table } from '../catalogue.ts';
import type { Write } from '../rewrites/rewriteAll.ts';
import { column, select, target } from '../syntax/build.ts';
import { quoted } from '../syntax/names.ts';
import { columnNames, mapped } from '../syntax/visit.ts';
import { type ColumnUses, columnUses, type FixedCondition } from './columnUses.ts';

/** An index that is not there yet. */
export interface IndexCandidate {
  readonly table: Table;
  /** "on route, departs_at" */
  readonly words: string;
  readonly why: string;
  /** `CREATE INDEX ON sailing (route, departs_at)`, without a name. */
  readonly definition: string;
  /** Simpler ones first: what an index costs when rows are written. */
  readonly weight: number;
}

const MOST_KEYS = 4;
const MOST_HELD = 8;
/** From here on the order of rows on disk says where a value lies. */
const IN_ORDER = 0.9;
const LEAST_ROWS = 500;
/** A column with no more different values says what kind a row is of, rather than which. */
const MOST_LASTING = 30;

/** Indexes that could serve a statement, simpler ones first; without those that are there. */
export function indexCandidates(tree: Node, catalogue: Catalogue, write: Write): IndexCandidate[] {
  const found = new Map<string, IndexCandidate>();
  const add = (it: IndexCandidate) => {
    if (!found.has(it.definition)) found.set(it.definition, it);
  };
  for (const uses of columnUses(tree, catalogue)) {
    if (uses.table.rows < LEAST_ROWS || !['r', 'm'].includes(uses.table.kind)) continue;
    for (const it of keyLists(uses)) {
      if (isThere(uses.table, it.keys)) continue;
      add(plain(uses.table, it.keys, it.why, it.keys.length));
      const held = [...uses.all].filter((name) => !it.keys.some((key) => bare(key) === name));
      if (held.length > 0 && held.length <= MOST_HELD) add(holding(uses.table, it.keys, held));
      const part = partOf(uses, it.keys, write);
      if (part) add(partial(uses.table, it.keys, part));
    }
    for (const it of blockRanges(uses)) add(it);
    for (const made of uses.made) {
      const text = expressionText(made, write);
      if (text)
        add({
          table: uses.table,
          words: `on ${text}`,
          why: 'What is compared is kept in order.',
          definition: `CREATE INDEX ON ${nameOf(uses.table)} ((${text}))`,
          weight: 2,
        });
    }
    for (const name of uses.ranged)
      if (isText(uses.table, name))
        add({
          table: uses.table,
          words: `on ${name}, by its characters`,
          why: 'The beginning of a text can be looked up, whatever the language.',
          definition: `CREATE INDEX ON ${nameOf(uses.table)} (${quoted(name)} text_pattern_ops)`,
          weight: 2,
        });
  }
  return [...found.values()].sort((a, b) => a.weight - b.weight);
}

const bare = (key: string) => key.replace(/ DESC$/, '');

/** Lists of columns in the order in which an index would hold them. */
function keyLists(uses: ColumnUses): { keys: string[]; why: string }[] {
  const { table } = uses;
  const width = (name: string) => distinctValues(table, table.columns.get(name)!);
  const equal = [...uses.equal].sort((a, b) => width(b) - width(a));
  const values = equal.filter((it) => !uses.joined.has(it));
  const ranged = [...uses.ranged];
  const sorted = uses.sorted.map((it) => (it.isDescending ? `${it.name} DESC` : it.name));
  const lists: { keys: string[]; why: string }[] = [];
  const add = (keys: readonly string[], why: string) => {
    const different = keys.filter((key, at) => keys.findIndex((other) => bare(other) === bare(key)) === at).slice(0, MOST_KEYS);
    if (different.length > 0 && !lists.some((it) => it.keys.join() === different.join())) lists.push({ keys: different, why });
  };
  const found = 'The rows that are wanted lie together.';
  const inOrder = 'The rows come in the order that is wanted: no sort, and the first ones at once.';
  for (const group of [values, equal]) {
    for (const one of ranged) add([...group, one], found);
    if (sorted.length > 0) add([...group, ...sorted], inOrder);
    if (sorted.length > 0) for (const one of ranged) add([...group, ...sorted, one], inOrder);
    if (group.length > 1) add(group, found);
  }
  for (const one of [...equal, ...ranged]) add([one], found);
  for (const a of equal) for (const b of [...equal, ...ranged]) if (a !== b) add([a, b], found);
  if (sorted.length > 0) add(sorted, inOrder);
  if (uses.grouped.length > 0) {
    add([...values, ...uses.grouped], 'The rows come in groups: nothing is sorted or hashed.');
    add(uses.grouped, 'The rows come in groups: nothing is sorted or hashed.');
  }
  for (const one of uses.joined)
    for (const rest of [values, ranged]) add([one, ...rest], 'The rows of each partner lie together.');
  return lists;
}

/** Whether an index begins with these columns already. */
function isThere(table: Table, keys: readonly string[]): boolean {
  return table.indexes.some((it) => it.isPlain && keys.every((key, at) => it.columns[at] === key));
}

export function nameOf({ schema, name }: Table): string {
  return schema === 'public' ? quoted(name) : `${quoted(schema)}.${quoted(name)}`;
}

const keyText = (key: string) => (key.endsWith(' DESC') ? `${quoted(bare(key))} DESC` : quoted(key));

function plain(table: Table, keys: readonly string[], why: string, weight: number): IndexCandidate {
  return {
    table,
    words: `on ${keys.join(', ')}`,
    why,
    definition: `CREATE INDEX ON ${nameOf(table)} (${keys.map(keyText).join(', ')})`,
    weight,
  };
}

function holding(table: Table, keys: readonly string[], held: readonly string[]): IndexCandidate {
  return {
    table,
    words: `on ${keys.join(', ')}, holding ${held.length > 2 ? `${held.length} columns` : held.join(', ')}`,
    why: 'All that is asked for stands in the index: the table is not looked into.',
    definition: `CREATE INDEX ON ${nameOf(table)} (${keys.map(keyText).join(', ')}) INCLUDE (${held.map(quoted).join(', ')})`,
    weight: keys.length + held.length / 2,
  };
}

function partial(table: Table, keys: readonly string[], condition: string): IndexCandidate {
  return {
    table,
    words: `on ${keys.join(', ')} where ${condition}`,
    why: 'Only the rows that the statement ever asks for are in the index: it is small and seldom written.',
    definition: `CREATE INDEX ON ${nameOf(table)} (${keys.map(keyText).join(', ')}) WHERE ${condition}`,
    weight: keys.length + 0.5,
  };
}

/**
 * Conditions with constants on columns that are not among the keys. Of a column with many values the one that is asked for now is not the one of
 * the next call: an index for it alone would serve nobody.
 */
function partOf(uses: ColumnUses, keys: readonly string[], write: Write): string | undefined {
  const { table } = uses;
  const isLasting = ({ node, column: name }: FixedCondition) =>
    'NullTest' in node || distinctValues(table, table.columns.get(name)!) <= MOST_LASTING;
  const texts = uses.fixed.filter(isLasting).flatMap(({ node }) => expressionText(node, write) ?? []);
  const apart = texts.filter((text) => !keys.some((key) => new RegExp(`\\b${bare(key)}\\b`).test(text)));
  return apart.length > 0 ? [...new Set(apart)].join(' AND ') : undefined;
}

/** Where values grow with the place on disk, a tiny index of the least and greatest of each stretch of blocks. */
function blockRanges({ table, ranged, equal }: ColumnUses): IndexCandidate[] {
  return [...ranged, ...equal].flatMap((name) => {
    // Where each row can be found, stretches of blocks say nothing more.
    if (Math.abs(table.columns.get(name)?.correlation ?? 0) < IN_ORDER || isThere(table, [name])) return [];
    return [
      {
        table,
        words: `block ranges of ${name}`,
        why: 'The rows lie on disk in its order: a few kilobytes say which stretches to read.',
        definition: `CREATE INDEX ON ${nameOf(table)} USING brin (${quoted(name)})`,
        weight: 0.5,
      },
    ];
  });
}

function isText(table: Table, name: string): boolean {
  return table.columns.get(name)?.category === 'S';
}

/** An expression as an index would have it: without the names of ranges. */
function expressionText(expression: Node, write: Write): string | undefined {
  const own = mapped(expression, (node) => {
    const names = columnNames(node);
    return names && names.length > 1 ? column(names.at(-1)!) : undefined;
  });
  try {
    const text = write({ SelectStmt: select({ targetList: [target(own)] }) });
    return /^SELECT (.+)$/s.exec(text)?.[1];
  } catch {
    return undefined;
  }
}
