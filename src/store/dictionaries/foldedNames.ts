import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { OTHER } from './ownerCounts.ts';

/** What a sender may make up too many names of. */
export const FOLDED_KINDS = ['operations', 'peers', 'events', 'pages', 'instances', 'series'] as const;
export type FoldedKind = (typeof FOLDED_KINDS)[number];

/** A service that has sent more names of a kind than are told apart; a list for all services beyond those that are. */
export interface FoldedNames {
  readonly service: string;
  readonly kind: FoldedKind;
}

/** Names are looked up for so many services at most. */
const MOST_SHOWN = 50;

/** The services of which some names are counted as one. */
export async function foldedNames(): Promise<FoldedNames[]> {
  const { rows } = await database().execute(sql`
    SELECT DISTINCT service, kind FROM (
      SELECT service, 'operations' AS kind FROM operation WHERE name = ${OTHER}
      UNION ALL SELECT service, 'peers' FROM call WHERE peer = ${OTHER}
      UNION ALL SELECT service, 'events' FROM log_kind WHERE event_name = ${OTHER}
      UNION ALL SELECT owner, 'pages' FROM watched WHERE name = ${OTHER}
      UNION ALL SELECT service, 'instances' FROM instance WHERE instance = ${OTHER}
      UNION ALL SELECT service, 'series' FROM series WHERE attributes ? ${OTHER}
    ) AS folded ORDER BY service, kind LIMIT ${MOST_SHOWN}`);
  return rows as unknown as FoldedNames[];
}
