import { inArray, sql } from 'drizzle-orm';
import type { PgColumn, PgTable } from 'drizzle-orm/pg-core';
import { LRUCache } from 'lru-cache';
import { database } from '../database/connection.ts';
import { today } from '../retention/days.ts';
import { Midnight } from './midnight.ts';

/** A table of texts by an id that senders make up. */
type TextTable = PgTable & { readonly id: PgColumn; readonly text: PgColumn; readonly seen: PgColumn };

interface TextRow {
  readonly id: string;
  readonly text: string;
}

interface Bounds {
  /** Texts in the table, at most; further ones are not stored. */
  readonly most: number;
  /** Characters of one text; the rest is cut. */
  readonly longest: number;
}

/** How long a count of the rows is trusted. */
const COUNTED_FOR_MS = 60_000;

/** Texts that are sent again and again, each stored once. */
export function boundedTexts<Row extends TextRow>(table: TextTable, { most, longest }: Bounds) {
  const known = new LRUCache<string, true>({ max: most });
  const midnight = new Midnight();
  let counted = { at: 0, count: 0 };

  async function count(): Promise<number> {
    const { rows } = await database().execute(sql`SELECT count(*)::int AS count FROM ${table}`);
    return (rows[0] as { count: number }).count;
  }

  return {
    /** Stores texts that are not stored yet, and marks the others as in use. The first text of an id stays. */
    async remember(items: readonly Row[]): Promise<void> {
      if (midnight.hasPassed()) known.clear();
      const day = today();
      const fresh = new Map(items.filter(({ id, text }) => text !== '' && !known.has(id)).map((it) => [it.id, it]));
      if (fresh.size === 0) return;
      const there = await database()
        .update(table)
        .set({ seen: day } as never)
        .where(inArray(table.id, [...fresh.keys()]))
        .returning({ id: table.id });
      for (const { id } of there) {
        known.set(String(id), true);
        fresh.delete(String(id));
      }
      if (fresh.size === 0) return;
      if (Date.now() - counted.at > COUNTED_FOR_MS) counted = { at: Date.now(), count: await count() };
      const some = [...fresh.values()].slice(0, Math.max(0, most - counted.count));
      if (some.length === 0) return;
      await database()
        .insert(table)
        // PostgreSQL stores no zero character.
        .values(some.map((it) => ({ ...it, seen: day, text: it.text.slice(0, longest).replaceAll('\0', '') })))
        .onConflictDoNothing();
      for (const { id } of some) known.set(id, true);
      counted.count += some.length;
    },

    /** Texts by id. Those that are not stored are not in it. */
    async read(ids: Iterable<string>): Promise<Map<string, string>> {
      const wanted = [...new Set(ids)].filter((id) => id !== '');
      if (wanted.length === 0) return new Map();
      const rows = await database().select({ id: table.id, text: table.text }).from(table).where(inArray(table.id, wanted));
      return new Map(rows.map(({ id, text }) => [String(id), String(text)]));
    },
  };
}
