import { fingerprintSync, loadModule, normalizeSync, parseSync } from '@libpg-query/parser';
import { LRUCache } from 'lru-cache';

/** What PostgreSQL's own parser says of a statement. */
export interface ReadStatement {
  /** Sixteen hex digits: the same for all values, spacings and names of aliases. */
  readonly id: string;
  /** The text with its values left out. */
  readonly text: string;
  /** Names of the tables that it reads or changes, in the order in which they stand. */
  readonly tables: readonly string[];
}

let isLoaded = false;

/** To be awaited once before `readStatement`. */
export async function loadParser(): Promise<void> {
  await loadModule();
  isLoaded = true;
}

const read = new LRUCache<string, { readonly statement: ReadStatement | undefined }>({ max: 5_000 });

/** Reads a statement; undefined when PostgreSQL would not parse it, such as one that was cut. Half a millisecond for one that was not read lately. */
export function readStatement(text: string): ReadStatement | undefined {
  if (!isLoaded) throw new Error('loadParser first');
  let known = read.get(text);
  if (!known) {
    known = { statement: parsed(text) };
    read.set(text, known);
  }
  return known.statement;
}

function parsed(text: string): ReadStatement | undefined {
  try {
    const tables = new Set<string>();
    findTables(parseSync(text), tables);
    return { id: fingerprintSync(text), text: normalizeSync(text), tables: [...tables] };
  } catch {
    return undefined;
  }
}

/** Deeper than any statement that a person or program writes. */
const DEEPEST = 400;

function findTables(node: unknown, found: Set<string>, depth = 0): void {
  if (typeof node !== 'object' || node === null || depth > DEEPEST) return;
  if (Array.isArray(node)) {
    for (const it of node) findTables(it, found, depth + 1);
    return;
  }
  for (const [key, value] of Object.entries(node)) {
    if ((key === 'RangeVar' || key === 'relation') && isNamed(value)) found.add(value.relname);
    findTables(value, found, depth + 1);
  }
}

function isNamed(value: unknown): value is { relname: string } {
  return typeof value === 'object' && value !== null && 'relname' in value && typeof value.relname === 'string';
}
