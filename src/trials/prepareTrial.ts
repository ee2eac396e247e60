import { loadParser } from '../formats/database/fingerprint.ts';
import { type OpenValue, openValues } from './proposeValues.ts';
import { readCatalogue } from './readCatalogue.ts';
import { checkSafety, singleStatement, viewTrees } from './safety.ts';
import type { TrialServer } from './servers.ts';
import { TrialSession } from './session.ts';

/** What is known of a statement before anything of it runs. */
export interface Prepared {
  readonly text: string;
  readonly values: readonly OpenValue[];
  readonly refusals: readonly string[];
  readonly warnings: readonly string[];
  readonly tables: readonly { readonly name: string; readonly rows: number; readonly bytes: number }[];
}

/** `interval $1` is how a text with its values left out may read; PostgreSQL reads a value only as `$1::interval`. */
export function readable(text: string): string {
  return text
    .replaceAll(/\b(interval|timestamptz|timestamp|date|time)\s+(\$\d+)/gi, '$2::$1')
    .trim()
    .replace(/;\s*$/, '');
}

/** Looks at a statement: what may stand against trying it, and the values that it leaves open. @throws Error when it is none */
export async function prepareTrial(text: string, server: TrialServer): Promise<Prepared> {
  await loadParser();
  const own = readable(text);
  const tree = singleStatement(own);
  const session = await TrialSession.open(server);
  try {
    const views = await viewTrees(session, tree);
    const catalogue = await readCatalogue(session, [tree, ...views]);
    const { refusals, warnings } = await checkSafety(session, tree, views, catalogue, server);
    const values = refusals.length > 0 ? [] : await openValues(session, own, tree, catalogue);
    const tables = [...catalogue.tables.values()].map(({ name, rows, bytes }) => ({ name, rows, bytes }));
    return { text: own, values, refusals, warnings, tables };
  } finally {
    await session.close();
  }
}
