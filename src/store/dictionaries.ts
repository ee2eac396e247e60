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
  const keys = spans.map(({ service, name, kind }) => `${kind}\0${service}\0${name}`);
  return intern(operationIds, keys, async (missing) => {
    const rows = missing.map(({ hash, at }) => {
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
  const keys = spans.map(({ resource, scope }) => {
    let text = textOf.get(resource);
    if (text === undefined) {
      text = JSON.stringify(resource);
      textOf.set(resource, text);
    }
    return `${scope.name}\0${scope.version}\0${text}`;
  });
  return intern(reporterIds, keys, async (missing) => {
    const rows = missing.map(({ hash, at }) => {
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

/** A row that the dictionary may not have yet: its key's hash, and the position of a span that needs it. */
interface Missing {
  readonly hash: string;
  readonly at: number;
}

/** Texts longer than this are remembered by their hash. */
const LONGEST_KEY = 2_000;

async function intern(
  remembered: Map<string, number>,
  keys: readonly string[],
  addAndFind: (missing: Missing[]) => Promise<{ hash: string; id: number }[]>,
): Promise<number[]> {
  const known = new Map<string, number>();
  const missing = new Map<string, Missing>();
  keys.forEach((key, at) => {
    if (known.has(key) || missing.has(key)) return;
    const id = remembered.get(key.length > LONGEST_KEY ? md5(key) : key);
    if (id === undefined) missing.set(key, { hash: md5(key), at });
    else known.set(key, id);
  });
  const idOf = new Map<string, number>();
  for (const part of chunks([...missing.values()])) for (const { hash, id } of await addAndFind(part)) idOf.set(hash, id);
  if (remembered.size > MOST_REMEMBERED) remembered.clear();
  for (const [key, { hash }] of missing) {
    const id = idOf.get(hash)!;
    known.set(key, id);
    remembered.set(key.length > LONGEST_KEY ? hash : key, id);
  }
  return keys.map((key) => known.get(key)!);
}

function md5(text: string): string {
  return createHash('md5').update(text).digest('hex');
}

function hashesOf(missing: readonly Missing[]): string[] {
  return missing.map(({ hash }) => hash);
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
