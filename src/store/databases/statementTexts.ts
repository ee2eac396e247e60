import { inArray, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { database } from '../database/connection.ts';
import { statementText } from '../schema/index.ts';

export interface StatementText {
  readonly id: string;
  readonly system: string;
  readonly text: string;
}

/** Statements that senders may make up. */
const MOST = 50_000;
/** Longer ones are cut: no server keeps more of a statement by default than a tenth of that. */
const LONGEST = 20_000;
const COUNTED_FOR_MS = 60_000;

const known = new LRUCache<string, true>({ max: MOST });
let counted = { at: 0, count: 0 };

/** Stores texts of statements that are not stored yet. The first text of an id stays. */
export async function rememberStatements(items: readonly StatementText[]): Promise<void> {
  const fresh = new Map(items.filter(({ id, text }) => text !== '' && !known.has(id)).map((it) => [it.id, it]));
  if (fresh.size === 0) return;
  if (Date.now() - counted.at > COUNTED_FOR_MS) counted = { at: Date.now(), count: await countTexts() };
  const some = [...fresh.values()].slice(0, Math.max(0, MOST - counted.count));
  if (some.length === 0) return;
  await database()
    .insert(statementText)
    .values(some.map(({ id, system, text }) => ({ id, system, text: text.slice(0, LONGEST).replaceAll('\0', '') })))
    .onConflictDoNothing();
  for (const { id } of some) known.set(id, true);
  counted.count += some.length;
}

async function countTexts(): Promise<number> {
  const { rows } = await database().execute(sql`SELECT count(*)::int AS count FROM ${statementText}`);
  return (rows[0] as { count: number }).count;
}

/** The texts of some statements, by id. Those that nobody has sent are not in it. */
export async function statementTexts(ids: Iterable<string>): Promise<Map<string, string>> {
  const wanted = [...new Set(ids)].filter((id) => id !== '');
  if (wanted.length === 0) return new Map();
  const rows = await database()
    .select({ id: statementText.id, text: statementText.text })
    .from(statementText)
    .where(inArray(statementText.id, wanted));
  return new Map(rows.map(({ id, text }) => [id, text]));
}
