import { and, asc, count, eq, gte, lte } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { timeNote } from '../schema/index.ts';

export type TimeNote = typeof timeNote.$inferSelect;

/** More are not kept, so that a program that writes them cannot fill the disk. */
export const MOST_NOTES = 5_000;
/** Notes of a stretch of time that are read. */
const MOST_READ = 500;

/** What was noted in a stretch of time, in order. @param from, to epoch milliseconds, or parts of one; inclusive */
export function notesBetween(from: number, to: number): Promise<TimeNote[]> {
  return database()
    .select()
    .from(timeNote)
    .where(and(gte(timeNote.at, Math.floor(from)), lte(timeNote.at, Math.ceil(to))))
    .orderBy(asc(timeNote.at), asc(timeNote.id))
    .limit(MOST_READ);
}

/** @returns undefined when there are as many notes as are kept */
export async function keepNote(note: Omit<TimeNote, 'id'>): Promise<TimeNote | undefined> {
  const [{ notes }] = await database().select({ notes: count() }).from(timeNote);
  if (notes >= MOST_NOTES) return undefined;
  const [kept] = await database().insert(timeNote).values(note).returning();
  return kept;
}

/** @returns whether there was one */
export async function removeNote(id: number): Promise<boolean> {
  return (await database().delete(timeNote).where(eq(timeNote.id, id)).returning({ id: timeNote.id })).length > 0;
}
