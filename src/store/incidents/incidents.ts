import { and, asc, desc, eq, gte, inArray, lte } from 'drizzle-orm';
import type { SeriesShift } from '../../core/incidents/joinShifts.ts';
import { database } from '../database/connection.ts';
import { incident } from '../schema/index.ts';

/** Trouble as it is kept. Minutes are since 1970-01-01. */
export interface IncidentRow {
  readonly id: number;
  readonly source: 'shift' | 'rule';
  readonly ruleId: string;
  readonly firstMinute: number;
  readonly lastMinute: number;
  readonly foundMinute: number;
  readonly shifts: readonly SeriesShift[];
  readonly acknowledged: Date | null;
  readonly mutedUntil: Date | null;
}

export type NewIncident = Omit<IncidentRow, 'id' | 'acknowledged' | 'mutedUntil'>;

/** Incidents that touch a stretch of time, the latest first. */
export async function incidentsBetween(fromMinute: number, toMinute: number): Promise<IncidentRow[]> {
  const rows = await database()
    .select()
    .from(incident)
    .where(and(lte(incident.firstMinute, toMinute), gte(incident.lastMinute, fromMinute)))
    .orderBy(desc(incident.lastMinute), asc(incident.id));
  return rows as IncidentRow[];
}

export async function incidentById(id: number): Promise<IncidentRow | undefined> {
  const [row] = await database().select().from(incident).where(eq(incident.id, id));
  return row as IncidentRow | undefined;
}

export async function addIncident(it: NewIncident): Promise<number> {
  const [{ id }] = await database().insert(incident).values(it).returning({ id: incident.id });
  return id;
}

export async function updateIncident(id: number, it: Partial<Omit<IncidentRow, 'id'>>): Promise<void> {
  await database().update(incident).set(it).where(eq(incident.id, id));
}

export async function dropIncidents(ids: readonly number[]): Promise<void> {
  if (ids.length > 0)
    await database()
      .delete(incident)
      .where(inArray(incident.id, [...ids]));
}

/** When something was wrong, epoch milliseconds. */
export async function troubledStretches(): Promise<{ from: number; to: number }[]> {
  const rows = await database().select({ first: incident.firstMinute, last: incident.lastMinute }).from(incident);
  return rows.map(({ first, last }) => ({ from: first * 60_000, to: (last + 1) * 60_000 }));
}
