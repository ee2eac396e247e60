import { and, asc, desc, eq, gt, isNotNull, isNull, lt, sql } from 'drizzle-orm';
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import * as Y from 'yjs';
import type { CaseContent, Impact } from '../../core/casebook/caseContent.ts';
import { fillCase, readCase } from '../../core/casebook/doc/caseDoc.ts';
import { database, inTransaction } from '../database/connection.ts';
import { casebookCase, casebookChange, casebookPin, casebookShare, casebookStep, casebookVersion } from '../schema/index.ts';
import { noteVersion } from './versions.ts';

/** Cases that are kept at a time, and bytes of a document. */
const MOST_CASES = 2_000;
const LARGEST_DOC = 2 * 2 ** 20;
/** Bytes of all documents together: lists of cases are read whole. */
const MOST_TEXT = 96 * 2 ** 20;
/** Changes that are kept of a case, and bytes of them; who is further behind is given the document whole. */
const KEPT_CHANGES = 500;
const KEPT_BYTES = 2 ** 20;
const A_DAY_MS = 86_400_000;

/** A change that cannot be taken, in words for who sent it. */
export class CaseRefused extends Error {}

export interface CaseRow {
  readonly id: number;
  readonly content: CaseContent;
  readonly sequence: number;
  readonly created: Date;
  readonly changed: Date;
  readonly deleted: Date | null;
  readonly worked: Impact | null;
  readonly workedAt: Date | null;
}

const ROW = {
  id: casebookCase.id,
  content: sql<CaseContent>`${casebookCase.content}`,
  sequence: casebookCase.sequence,
  created: casebookCase.created,
  changed: casebookCase.changed,
  deleted: casebookCase.deleted,
  worked: sql<Impact | null>`${casebookCase.worked}`,
  workedAt: casebookCase.workedAt,
};

/** Begins a case. @throws CaseRefused when there are too many */
export async function createCase(
  content: CaseContent,
  by: string,
  more?: (on: NodePgDatabase, id: number) => Promise<void>,
): Promise<number> {
  const doc = new Y.Doc();
  fillCase(doc, content);
  return inTransaction(async (client) => {
    const on = drizzle({ client });
    await refuseFull(on);
    const [{ cases }] = await on
      .select({ cases: sql<number>`count(*)::int` })
      .from(casebookCase)
      .where(isNull(casebookCase.deleted));
    if (cases >= MOST_CASES) throw new CaseRefused(`There are ${cases} cases, which is as many as are kept. Delete some first.`);
    const [{ id }] = await on
      .insert(casebookCase)
      .values({ doc: Buffer.from(Y.encodeStateAsUpdate(doc)), content: readCase(doc) })
      .returning({ id: casebookCase.id });
    await noteVersion(on, id, 0, by, undefined, readCase(doc));
    await more?.(on, id);
    return id;
  });
}

/** A case; undefined when there is none of this number, or when it was deleted more than a day ago. */
export async function caseRow(id: number): Promise<CaseRow | undefined> {
  const [row] = await database().select(ROW).from(casebookCase).where(eq(casebookCase.id, id));
  return row;
}

/** How far a case is, without what it says: cheap, to be asked again and again. */
export async function caseProgress(id: number): Promise<Pick<CaseRow, 'sequence' | 'deleted'> | undefined> {
  const [row] = await database()
    .select({ sequence: casebookCase.sequence, deleted: casebookCase.deleted })
    .from(casebookCase)
    .where(eq(casebookCase.id, id));
  return row;
}

/** All cases, those changed last first; deleted ones apart. */
export async function caseRows(deleted: boolean): Promise<CaseRow[]> {
  return database()
    .select(ROW)
    .from(casebookCase)
    .where(deleted ? isNotNull(casebookCase.deleted) : isNull(casebookCase.deleted))
    .orderBy(desc(casebookCase.changed))
    .limit(MOST_CASES);
}

/** The document of a case whole, as a Yjs update, with the number of the last change in it. */
export async function caseDocument(id: number): Promise<{ doc: Buffer; sequence: number } | undefined> {
  const [row] = await database()
    .select({ doc: casebookCase.doc, sequence: casebookCase.sequence })
    .from(casebookCase)
    .where(eq(casebookCase.id, id));
  return row;
}

/**
 * Merges a change into a case; it is kept when this returns. The same change twice changes nothing.
 *
 * @param change makes the change to the document, or a Yjs update
 * @param more what is stored with it, or not at all
 * @throws CaseRefused when the update cannot be read, or the document would be too large
 */
export async function changeCase(
  id: number,
  change: Uint8Array | ((doc: Y.Doc) => void),
  { by, origin }: { readonly by: string; readonly origin: string },
  more?: (on: NodePgDatabase) => Promise<void>,
): Promise<{ sequence: number } | undefined> {
  return inTransaction(async (client) => {
    const on = drizzle({ client });
    const [row] = await on
      .select({ doc: casebookCase.doc, sequence: casebookCase.sequence, content: ROW.content, deleted: casebookCase.deleted })
      .from(casebookCase)
      .where(eq(casebookCase.id, id))
      .for('update');
    if (!row) return undefined;
    if (row.deleted) throw new CaseRefused('This case was deleted. Take that back first.');
    const doc = new Y.Doc();
    Y.applyUpdate(doc, row.doc);
    const had = Y.encodeStateVector(doc);
    try {
      if (typeof change === 'function') change(doc);
      else Y.applyUpdate(doc, change);
    } catch {
      throw new CaseRefused('The change is no update of a document.');
    }
    const body = typeof change === 'function' ? Y.encodeStateAsUpdate(doc, had) : change;
    const whole = Buffer.from(Y.encodeStateAsUpdate(doc));
    if (whole.equals(row.doc)) return { sequence: row.sequence };
    if (whole.length > LARGEST_DOC)
      throw new CaseRefused(`The case would hold more than ${LARGEST_DOC / 2 ** 20} MiB of text. Begin another one.`);
    if (whole.length > row.doc.length) await refuseFull(on);
    const content = readCase(doc);
    const sequence = row.sequence + 1;
    await on.update(casebookCase).set({ doc: whole, content, sequence, changed: new Date() }).where(eq(casebookCase.id, id));
    await on.insert(casebookChange).values({ caseId: id, sequence, origin, body: Buffer.from(body) });
    await on.execute(sql`DELETE FROM ${casebookChange} WHERE case_id = ${id} AND sequence IN (
      SELECT sequence FROM (
        SELECT sequence, row_number() OVER (ORDER BY sequence DESC) AS place, sum(octet_length(body)) OVER (ORDER BY sequence DESC) AS so_far
        FROM ${casebookChange} WHERE case_id = ${id}
      ) AS all_changes WHERE place > ${KEPT_CHANGES} OR so_far > ${KEPT_BYTES})`);
    await noteVersion(on, id, sequence, by, row.content, content);
    await more?.(on);
    return { sequence };
  });
}

/** @throws CaseRefused when all cases together hold as much as they may */
async function refuseFull(on: NodePgDatabase): Promise<void> {
  const [{ held }] = await on
    .select({ held: sql<number>`coalesce(sum(octet_length(${casebookCase.doc})), 0)::float8` })
    .from(casebookCase);
  if (held > MOST_TEXT)
    throw new CaseRefused(
      `All cases together hold ${MOST_TEXT / 2 ** 20} MiB of text, which is as much as they may. Delete some first.`,
    );
}

/** Changes after one, in order; undefined when they are no longer all kept. */
export async function changesAfter(id: number, after: number, sequence: number) {
  if (after >= sequence) return [];
  const rows = await database()
    .select({ sequence: casebookChange.sequence, origin: casebookChange.origin, body: casebookChange.body })
    .from(casebookChange)
    .where(and(eq(casebookChange.caseId, id), gt(casebookChange.sequence, after)))
    .orderBy(asc(casebookChange.sequence));
  return rows[0]?.sequence === after + 1 ? rows : undefined;
}

/** Deletes a case, or takes that back. @returns whether there is such a case */
export async function setDeleted(id: number, deleted: boolean): Promise<boolean> {
  const rows = await database()
    .update(casebookCase)
    .set({ deleted: deleted ? new Date() : null, changed: new Date() })
    .where(eq(casebookCase.id, id))
    .returning({ id: casebookCase.id });
  return rows.length > 0;
}

/** Keeps the impact of a case as it was worked out: it outlives what it was worked out from. */
export async function keepWorked(id: number, worked: Impact): Promise<void> {
  await database().update(casebookCase).set({ worked, workedAt: new Date() }).where(eq(casebookCase.id, id));
}

/** Removes what was deleted more than a day ago. */
export async function forgetDeletedCases(now = Date.now()): Promise<void> {
  await inTransaction(async (client) => {
    const on = drizzle({ client });
    const gone = await on
      .delete(casebookCase)
      .where(lt(casebookCase.deleted, new Date(now - A_DAY_MS)))
      .returning({ id: casebookCase.id });
    for (const { id } of gone)
      for (const table of [casebookChange, casebookVersion, casebookPin, casebookStep, casebookShare])
        await on.delete(table).where(eq(table.caseId, id));
  });
}
