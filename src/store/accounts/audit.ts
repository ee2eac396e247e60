import { and, desc, gte, ilike, lt, or, type SQL } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { auditEntry } from '../schema/index.ts';

export interface AuditEntry {
  readonly at: Date;
  readonly userId: string;
  readonly by: string;
  readonly address: string;
  readonly action: string;
  readonly about: Readonly<Record<string, unknown>>;
  readonly status: number;
}

/** Writes down what was done. It cannot be changed afterwards, not through this application. */
export async function writeAudit(it: Omit<AuditEntry, 'at'>): Promise<void> {
  await database().insert(auditEntry).values(it);
}

export interface AuditFilter {
  /** Parts of a name or an action. */
  readonly text?: string;
  readonly from?: Date;
  readonly to?: Date;
  /** Entries before this one. */
  readonly beforeId?: number;
}

/** What was done, the latest first. */
export async function readAudit(
  { text, from, to, beforeId }: AuditFilter,
  most: number,
): Promise<(AuditEntry & { readonly id: number })[]> {
  const like = text ? `%${text.replace(/[\\%_]/g, '\\$&')}%` : undefined;
  const conditions: (SQL | undefined)[] = [
    like ? or(ilike(auditEntry.by, like), ilike(auditEntry.action, like)) : undefined,
    from ? gte(auditEntry.at, from) : undefined,
    to ? lt(auditEntry.at, to) : undefined,
    beforeId === undefined ? undefined : lt(auditEntry.id, beforeId),
  ];
  const rows = await database()
    .select()
    .from(auditEntry)
    .where(and(...conditions))
    .orderBy(desc(auditEntry.id))
    .limit(most);
  return rows.map((it) => ({ ...it, about: it.about as Record<string, unknown> }));
}
