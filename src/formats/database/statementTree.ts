import { parseSync } from '@libpg-query/parser';
import type { Node } from '@pgsql/types';
import { deparseSync } from 'pgsql-deparser';

/** Reads a text that may hold several statements, by PostgreSQL's own parser; `loadParser` first. @throws Error with what it says of the text */
export function statementTrees(text: string): Node[] {
  const { stmts = [] } = parseSync(text) as { stmts?: readonly { stmt?: Node }[] };
  return stmts.flatMap(({ stmt }) => (stmt ? [stmt] : []));
}

/** A statement as text, from its tree. @throws Error for a tree that cannot be written */
export function writeStatement(tree: Node): string {
  return deparseSync(tree, { pretty: false }).trim();
}
