import { asc, desc, gte, lt, sql } from 'drizzle-orm';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { database } from '../database/connection.ts';
import { intakeMinute, sender } from '../schema/index.ts';

/** What came in of a signal within a minute; under a reason, what was not taken for it. */
export interface IntakeCount {
  readonly minute: number;
  readonly signal: Signal;
  readonly reason: string;
  requests: number;
  records: number;
  /** Requests that had come before. */
  repeated: number;
  /** As they came over the wire. */
  bytes: number;
  masked: number;
  /** Time from a request's coming to its answer, all together and the longest. */
  busyMs: number;
  slowestMs: number;
}

/** What was seen of a sender since the last time. */
export interface SenderSight {
  readonly signal: Signal;
  readonly service: string;
  readonly version: string;
  readonly sdk: string;
  readonly instance: string;
  records: number;
  withTrace: number;
  aheadMs: number;
  lastMs: number;
}

/** Adds to the figures of intake. */
export async function writeIntake(counts: readonly IntakeCount[], senders: readonly SenderSight[]): Promise<void> {
  const db = database();
  const plus = (column: { name: string }) =>
    sql`intake_minute.${sql.identifier(column.name)} + excluded.${sql.identifier(column.name)}`;
  if (counts.length > 0)
    await db
      .insert(intakeMinute)
      .values([...counts].map((it) => ({ ...it, busyMs: Math.round(it.busyMs), slowestMs: Math.round(it.slowestMs) })))
      .onConflictDoUpdate({
        target: [intakeMinute.minute, intakeMinute.signal, intakeMinute.reason],
        set: {
          requests: plus(intakeMinute.requests),
          records: plus(intakeMinute.records),
          repeated: plus(intakeMinute.repeated),
          bytes: plus(intakeMinute.bytes),
          masked: plus(intakeMinute.masked),
          busyMs: plus(intakeMinute.busyMs),
          slowestMs: sql`greatest(intake_minute.slowest_ms, excluded.slowest_ms)`,
        },
      });
  if (senders.length > 0)
    await db
      .insert(sender)
      .values(
        senders.map(({ lastMs, ...it }) => ({
          ...it,
          aheadMs: Math.round(it.aheadMs),
          first: new Date(lastMs),
          last: new Date(lastMs),
        })),
      )
      .onConflictDoUpdate({
        target: [sender.signal, sender.service, sender.version, sender.sdk, sender.instance],
        set: {
          last: sql`excluded.last`,
          records: sql`sender.records + excluded.records`,
          withTrace: sql`sender.with_trace + excluded.with_trace`,
          // What it was lately; a clock may have been put right.
          aheadMs: sql`excluded.ahead_ms`,
        },
      });
}

/** The counts from a minute on, oldest first. */
export async function readIntake(fromMinute: number): Promise<IntakeCount[]> {
  const rows = await database()
    .select()
    .from(intakeMinute)
    .where(gte(intakeMinute.minute, fromMinute))
    .orderBy(asc(intakeMinute.minute));
  return rows as IntakeCount[];
}

export type Sender = typeof sender.$inferSelect;

/** Who has sent something, the latest first. */
export async function readSenders(most = 500): Promise<Sender[]> {
  return database().select().from(sender).orderBy(desc(sender.last)).limit(most);
}

/** Forgets counts and senders that are too old to matter. */
export async function forgetIntake(beforeMinute: number, seenBefore: Date): Promise<void> {
  await database().delete(intakeMinute).where(lt(intakeMinute.minute, beforeMinute));
  await database().delete(sender).where(lt(sender.last, seenBefore));
}
