import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { and, asc, eq, inArray, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import type { Evidence } from '../../core/casebook/evidence/evidence.ts';
import type { Pin, PinKind, PinScope } from '../../core/casebook/pin.ts';
import { storable } from '../../formats/otlp/attributes/attributes.ts';
import { database } from '../database/connection.ts';
import { casebookPin } from '../schema/index.ts';
import { CaseRefused } from './cases.ts';

/** Pins of a case, bytes of the evidence of one, and bytes of the answer that it was made from. */
const MOST_PINS = 200;
const LARGEST_EVIDENCE = 2 ** 20;
const LARGEST_RAW = 4 * 2 ** 20;
/** Bytes of the evidence of a case: a hand-over is made of all of it at once. */
const MOST_OF_CASE = 16 * 2 ** 20;
/** Bytes of the pins of all cases together, as they lie. */
const MOST_STORED = 2 * 2 ** 30;

/** What is asked for a pin: which question, and its values. */
export interface PinAsked {
  readonly query: Readonly<Record<string, string>>;
  /** Which part of the answer it is of. */
  readonly part: Readonly<Record<string, string>>;
}

interface NewPin extends Omit<Pin, 'rawBytes'> {
  readonly asked: PinAsked;
  /** The answer that it was made from, JSON. */
  readonly raw: string;
}

/** Keeps a pin. @throws CaseRefused when the case has too many, or it is too large */
export async function keepPin(caseId: number, { raw, ...pin }: NewPin, on: NodePgDatabase = database()): Promise<Pin> {
  const size = Buffer.byteLength(JSON.stringify(pin.evidence));
  if (size > LARGEST_EVIDENCE)
    throw new CaseRefused(
      `The copy would take ${Math.ceil(size / 1024)} KiB, more than ${LARGEST_EVIDENCE / 1024}. Narrow the page first.`,
    );
  const [{ pins, evidence, all }] = await on
    .select({
      pins: sql<number>`(count(*) FILTER (WHERE case_id = ${caseId}))::int`,
      evidence: sql<number>`coalesce(sum(length(evidence::text)) FILTER (WHERE case_id = ${caseId}), 0)::float8`,
      all: sql<number>`coalesce(sum(octet_length(raw) + pg_column_size(evidence)), 0)::float8`,
    })
    .from(casebookPin);
  if (all > MOST_STORED)
    throw new CaseRefused(
      `The pins of all cases take ${MOST_STORED / 2 ** 30} GiB, which is as much as they may. Delete cases first.`,
    );
  if (evidence + size > MOST_OF_CASE)
    throw new CaseRefused(`The pins of this case would take more than ${MOST_OF_CASE / 2 ** 20} MiB. Begin another case.`);
  if (pins >= MOST_PINS) throw new CaseRefused(`The case has ${pins} pins, which is as many as it can have.`);
  const isShort = Buffer.byteLength(raw) <= LARGEST_RAW;
  const kept = isShort ? deflateRawSync(raw) : Buffer.alloc(0);
  const rawBytes = isShort ? Buffer.byteLength(raw) : 0;
  await on.insert(casebookPin).values({ ...storablePin(pin), caseId, raw: kept, rawBytes });
  const { asked: _, ...rest } = pin;
  return { ...rest, rawBytes };
}

/** The pins of a case, in the order they were made. */
export async function pinsOf(caseId: number): Promise<Pin[]> {
  const rows = await database()
    .select({
      id: casebookPin.id,
      kind: casebookPin.kind,
      title: casebookPin.title,
      at: casebookPin.at,
      by: casebookPin.by,
      scope: casebookPin.scope,
      path: casebookPin.path,
      evidence: casebookPin.evidence,
      about: casebookPin.about,
      rawBytes: casebookPin.rawBytes,
    })
    .from(casebookPin)
    .where(eq(casebookPin.caseId, caseId))
    .orderBy(asc(casebookPin.at), asc(casebookPin.id));
  return rows.map((it) => ({
    ...it,
    kind: it.kind as PinKind,
    scope: it.scope as PinScope,
    evidence: it.evidence as Evidence[],
    about: it.about as string[],
  }));
}

/** How many pins a case has; cheap, to see whether somebody has pinned something. */
export async function countPins(caseId: number): Promise<number> {
  const [{ pins }] = await database()
    .select({ pins: sql<number>`count(*)::int` })
    .from(casebookPin)
    .where(eq(casebookPin.caseId, caseId));
  return pins;
}

/** Names of what the pins of cases are about, by case. */
export async function aboutOf(caseIds: readonly number[]): Promise<Map<number, string[]>> {
  const about = new Map<number, string[]>();
  if (caseIds.length === 0) return about;
  const rows = await database()
    .select({ caseId: casebookPin.caseId, about: casebookPin.about })
    .from(casebookPin)
    .where(inArray(casebookPin.caseId, [...caseIds]));
  for (const it of rows) about.set(it.caseId, [...(about.get(it.caseId) ?? []), ...(it.about as string[])]);
  return about;
}

/** What was asked for a pin, and the answer that it was made from. */
export async function pinSource(caseId: number, id: string) {
  const [row] = await database()
    .select({ kind: casebookPin.kind, asked: casebookPin.asked, raw: casebookPin.raw, rawBytes: casebookPin.rawBytes })
    .from(casebookPin)
    .where(and(eq(casebookPin.caseId, caseId), eq(casebookPin.id, id)));
  if (!row) return undefined;
  return {
    kind: row.kind as PinKind,
    asked: row.asked as PinAsked,
    raw: row.rawBytes === 0 ? null : inflateRawSync(row.raw).toString('utf8'),
  };
}

/** The same with what PostgreSQL cannot hold replaced in every text. */
function storablePin<Of extends object>(pin: Of): Of {
  return JSON.parse(JSON.stringify(pin), (_, value) => (typeof value === 'string' ? storable(value) : value)) as Of;
}
