import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** Where the kernel's files are; elsewhere in a container that sees those of its host, and in tests. */
export interface Roots {
  readonly proc: string;
  readonly sys: string;
  readonly etc: string;
}

/** A file's text; empty when it is not there or may not be read: what cannot be seen is left out. */
export function textOf(...path: readonly string[]): string {
  try {
    return readFileSync(join(...path), 'utf8');
  } catch {
    return '';
  }
}

export function entriesOf(...path: readonly string[]): string[] {
  try {
    return readdirSync(join(...path));
  } catch {
    return [];
  }
}

/** `name value` lines as numbers by name. */
export function numbersOf(text: string): Map<string, number> {
  const found = new Map<string, number>();
  for (const line of text.split('\n')) {
    const [name, value] = line.split(/[\s:]+/);
    if (name && value !== undefined && value !== '') found.set(name, Number(value));
  }
  return found;
}
