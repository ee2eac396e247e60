import type { Node } from '@pgsql/types';
import type { Catalogue, Table } from '../catalogue.ts';
import { quoted } from '../syntax/names.ts';
import { columnUses } from './columnUses.ts';
import { nameOf } from './indexes.ts';

/** Statistics that the server does not keep yet. */
export interface StatisticsCandidate {
  readonly table: Table;
  readonly words: string;
  readonly why: string;
  readonly commands: readonly string[];
}

/** Where the planner may guess wrong: columns that depend on each other, and values that are too many for what is kept of them. */
export function statisticsCandidates(tree: Node, catalogue: Catalogue): StatisticsCandidate[] {
  const found = new Map<string, StatisticsCandidate>();
  for (const { table, equal, ranged, grouped } of columnUses(tree, catalogue)) {
    if (table.kind !== 'r' || table.rows < 1000) continue;
    const compared = [...new Set([...equal, ...ranged, ...grouped])].slice(0, 4);
    if (compared.length >= 2)
      found.set(`${table.name} together`, {
        table,
        words: `statistics of ${compared.join(', ')} together`,
        why: 'The columns depend on each other; their shares multiplied are too small.',
        commands: [
          `CREATE STATISTICS trial_statistics ON ${compared.map(quoted).join(', ')} FROM ${nameOf(table)}`,
          `ANALYZE ${nameOf(table)}`,
        ],
      });
    if (compared.length > 0)
      found.set(`${table.name} finer`, {
        table,
        words: `finer statistics of ${compared.join(', ')}`,
        why: 'Rare values and uneven ranges are told apart.',
        commands: [
          ...compared.map((it) => `ALTER TABLE ${nameOf(table)} ALTER COLUMN ${quoted(it)} SET STATISTICS 2000`),
          `ANALYZE ${nameOf(table)}`,
        ],
      });
  }
  return [...found.values()];
}
