import { createHash } from 'node:crypto';
import { and, eq, inArray } from 'drizzle-orm';
import { type Attributes, type InstrumentationScope, SPAN_KINDS, type Span } from '../core/trace/span.ts';
import { database } from './connection.ts';
import { operation, reporter } from './schema.ts';

/** Remembered rows of a dictionary; emptied when there are more than this, so that memory stays bounded. */
const MOST_REMEMBERED = 100_000;
const operationIds = new Map<string, number>();
const reporterIds = new Map<string, number>();

/** The `operation` id of each span, in order. New ones are added in a transaction of their own: they hold no lock for long. */
export async function internOperations(spans: readonly Span[]): Promise<number[]> {
  const hashes = spans.map((span) => md5([span.service, span.name, span.kind]));
  return intern(operationIds, hashes, async (missing) => {
    const rows = missing.map(([hash, at]) => {
      const { service, name, kind } = spans[at];
      return { hash, service, name, kind: SPAN_KINDS.indexOf(kind) };
    });
    await database().insert(operation).values(rows).onConflictDoNothing();
    return database()
      .select({ hash: operation.hash, id: operation.id })
      .from(operation)
      .where(inArray(operation.hash, hashesOf(missing)));
  });
}

/** The `reporter` id (resource and instrumentation scope) of each span, in order. */
export async function internReporters(spans: readonly Span[]): Promise<number[]> {
  const textOf = new Map<Attributes, string>();
  const hashes = spans.map(({ resource, scope }) => {
    const text = textOf.get(resource) ?? JSON.stringify(resource);
    textOf.set(resource, text);
    return md5([text, scope.name, scope.version]);
  });
  return intern(reporterIds, hashes, async (missing) => {
    const rows = missing.map(([hash, at]) => {
      const { resource, scope } = spans[at];
      return { hash, resource, scopeName: scope.name, scopeVersion: scope.version };
    });
    await database().insert(reporter).values(rows).onConflictDoNothing();
    return database()
      .select({ hash: reporter.hash, id: reporter.id })
      .from(reporter)
      .where(inArray(reporter.hash, hashesOf(missing)));
  });
}

/** Rows fetched or added at a time, well under the protocol's 65 535 parameters. */
const CHUNK = 5_000;

/** A hash and the position of a row that has it. */
type Missing = [hash: string, at: number];

async function intern(
  remembered: Map<string, number>,
  hashes: readonly string[],
  addAndFind: (missing: Missing[]) => Promise<{ hash: string; id: number }[]>,
): Promise<number[]> {
  const known = new Map<string, number>();
  const missing = new Map<string, number>();
  hashes.forEach((hash, at) => {
    const id = remembered.get(hash);
    if (id === undefined) missing.set(hash, at);
    else known.set(hash, id);
  });
  for (const part of chunks([...missing])) for (const { hash, id } of await addAndFind(part)) known.set(hash, id);
  if (remembered.size > MOST_REMEMBERED) remembered.clear();
  for (const hash of missing.keys()) remembered.set(hash, known.get(hash)!);
  return hashes.map((hash) => known.get(hash)!);
}

function md5(parts: readonly string[]): string {
  return createHash('md5').update(JSON.stringify(parts)).digest('hex');
}

function hashesOf(missing: readonly Missing[]): string[] {
  return missing.map(([hash]) => hash);
}

function* chunks<T>(items: readonly T[]): Generator<T[]> {
  for (let from = 0; from < items.length; from += CHUNK) yield items.slice(from, from + CHUNK);
}

/** Service, name and kind (OpenTelemetry's number) of an operation. */
export interface KnownOperation {
  readonly service: string;
  readonly name: string;
  readonly kind: number;
}

/** Who reported a span. One object an id, so that spans of one resource share it. */
export interface KnownReporter {
  readonly resource: Attributes;
  readonly scope: InstrumentationScope;
}

const operationsById = new Map<number, KnownOperation>();
const reportersById = new Map<number, KnownReporter>();

/** The operations with these ids. */
export async function operationsOf(ids: Iterable<number>): Promise<(id: number) => KnownOperation> {
  return lookUp(operationsById, ids, (missing) => database().select().from(operation).where(inArray(operation.id, missing)));
}

/** The reporters with these ids. */
export async function reportersOf(ids: Iterable<number>): Promise<(id: number) => KnownReporter> {
  return lookUp(reportersById, ids, async (missing) => {
    const rows = await database().select().from(reporter).where(inArray(reporter.id, missing));
    return rows.map((row) => ({
      id: row.id,
      resource: row.resource,
      scope: { name: row.scopeName, version: row.scopeVersion },
    }));
  });
}

async function lookUp<T>(
  remembered: Map<number, T>,
  ids: Iterable<number>,
  find: (missing: number[]) => Promise<({ id: number } & T)[]>,
): Promise<(id: number) => T> {
  const known = new Map<number, T>();
  const missing: number[] = [];
  for (const id of new Set(ids)) {
    const row = remembered.get(id);
    if (row) known.set(id, row);
    else missing.push(id);
  }
  for (const part of chunks(missing)) for (const row of await find(part)) known.set(row.id, row);
  if (remembered.size > MOST_REMEMBERED) remembered.clear();
  for (const id of missing) remembered.set(id, known.get(id)!);
  return (id) => known.get(id)!;
}

/** Ids of the operations of a service, of a name, or of both. */
export async function operationIdsLike(wanted: { service?: string; name?: string }): Promise<number[]> {
  const rows = await database()
    .select({ id: operation.id })
    .from(operation)
    .where(
      and(
        wanted.service === undefined ? undefined : eq(operation.service, wanted.service),
        wanted.name === undefined ? undefined : eq(operation.name, wanted.name),
      ),
    );
  return rows.map((row) => row.id);
}
