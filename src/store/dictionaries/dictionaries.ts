import { createHash } from 'node:crypto';
import { and, eq, inArray, type SQL, sql } from 'drizzle-orm';
import type { AnyPgColumn, PgTable } from 'drizzle-orm/pg-core';
import { seriesKeyOf, type WatchedKind, type WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { SPAN_KINDS, type SpanKind } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { today } from '../retention/days.ts';
import { call, callEdge, facet, instance, logKind, operation, resource, series, watched } from '../schema/index.ts';
import { Midnight } from './midnight.ts';
import { noteNewNames } from './newNames.ts';
import { OTHER, OwnerCounts } from './ownerCounts.ts';

/** Remembered rows of a dictionary; emptied when there are more than this, so that memory stays bounded. */
const MOST_REMEMBERED = 100_000;
/** Rows fetched or added at a time, well under the protocol's 65 535 parameters. */
const CHUNK = 5_000;
/** Texts longer than this are remembered by their hash. */
const LONGEST_KEY = 200;

/**
 * What senders may make up: operations, peers, events and pages of a service; services; resources and series of a service; attributes by
 * which requests can be distinguished, and values of each.
 */
const MOST_NAMES = 1_000;
const MOST_SERVICES = 1_000;
const MOST_RESOURCES = 2_000;
const MOST_SERIES = 20_000;
const MOST_KEYS = 1_000;
/** Beyond so many values a key tells single requests apart rather than kinds of them. */
export const MOST_VALUES = 300;

type Dictionary =
  | typeof operation
  | typeof call
  | typeof resource
  | typeof logKind
  | typeof series
  | typeof facet
  | typeof callEdge
  | typeof watched
  | typeof instance;

/** How many rows an owner may have, and what stands in the place of those beyond. */
interface Limit<Table extends Dictionary, Item> {
  readonly owner: (table: Table) => AnyPgColumn;
  readonly ownerOf: (item: Item) => string;
  /** Rows of one owner, and owners. */
  readonly most: number;
  readonly mostOwners: number;
  /** The row that all of an owner beyond the limit share. @param owner OTHER_OWNER where there are too many owners */
  readonly folded: (item: Item, owner: string) => Item;
}

/**
 * A way to the ids of a dictionary's rows: for each item its id, in order. New rows are added in a transaction of their own, so that
 * they hold no lock for long. An owner that has too many rows gets no more: the next share one.
 *
 * @param keyOf all that identifies an item
 */
function interning<Table extends Dictionary, Item>(
  table: Table,
  keyOf: (item: Item) => string,
  rowOf: (item: Item) => Omit<Table['$inferInsert'], 'hash'>,
  limit: Limit<Table, Item>,
): (items: readonly Item[]) => Promise<number[]> {
  const remembered = new Map<string, number>();
  const midnight = new Midnight();
  const counts = new OwnerCounts(limit.most, limit.mostOwners, () => countRows(table, limit.owner(table)));
  // What is found is in use from now on: a row that is dropped meanwhile is not found.
  const find = async (some: readonly { hash: string }[], day: number) => {
    const found = new Map<string, number>();
    for (const part of chunks(some)) {
      const rows = await database()
        .select({ hash: table.hash, id: table.id, seen: table.seen })
        .from(table as PgTable)
        .where(
          inArray(
            table.hash,
            part.map(({ hash }) => hash),
          ),
        );
      const marked = await markSeen(
        table,
        rows.filter(({ seen }) => seen < day).map(({ id }) => id),
        day,
      );
      for (const { hash, id, seen } of rows) if (seen >= day || marked.has(id)) found.set(hash, id);
    }
    return found;
  };
  const add = async (some: readonly { hash: string; item: Item }[], day: number) => {
    for (const part of chunks(some))
      await database()
        .insert(table as PgTable)
        .values(part.map(({ hash, item }) => ({ ...rowOf(item), hash, seen: day })) as never)
        .onConflictDoNothing();
  };
  return async (items) => {
    if (midnight.hasPassed()) remembered.clear();
    const day = today();
    const keys = items.map(keyOf);
    const known = new Map<string, number>();
    const missing = new Map<string, { hash: string; item: Item }>();
    keys.forEach((key, at) => {
      if (known.has(key) || missing.has(key)) return;
      const id = remembered.get(shortened(key));
      if (id === undefined) missing.set(key, { hash: md5(key), item: items[at] });
      else known.set(key, id);
    });
    const idOf = await find([...missing.values()], day);
    const fresh = [...missing.values()].filter(({ hash }) => !idOf.has(hash));
    // By the hash of an item, that of the one in whose row it is counted.
    const homes = new Map<string, string>();
    if (fresh.length > 0) {
      await counts.refresh();
      const added: { hash: string; item: Item }[] = [];
      for (const it of fresh) {
        const owner = counts.admit(limit.ownerOf(it.item));
        const item = owner === undefined ? it.item : limit.folded(it.item, owner);
        const hash = owner === undefined ? it.hash : md5(keyOf(item));
        homes.set(it.hash, hash);
        added.push({ hash, item });
      }
      const rows = [...new Map(added.map((it) => [it.hash, it])).values()];
      await add(rows, day);
      noteNewNames(rows.length);
      const homeHashes = [...new Set(homes.values())].map((hash) => ({ hash }));
      for (const [hash, id] of await find(homeHashes, day)) idOf.set(hash, id);
    }
    if (remembered.size > MOST_REMEMBERED) remembered.clear();
    for (const [key, { hash }] of missing) {
      const id = idOf.get(homes.get(hash) ?? hash)!;
      known.set(key, id);
      remembered.set(shortened(key), id);
    }
    return keys.map((key) => known.get(key)!);
  };
}

/** Marks rows as in use on a day. @returns the ids of those that are there */
async function markSeen(table: Dictionary, ids: readonly number[], day: number): Promise<Set<number>> {
  if (ids.length === 0) return new Set();
  const rows = await database()
    .update(table as PgTable)
    .set({ seen: day } as never)
    .where(inArray(table.id, [...ids]))
    .returning({ id: table.id });
  return new Set(rows.map(({ id }) => id as number));
}

async function countRows(table: Dictionary, owner: AnyPgColumn): Promise<Map<string, number>> {
  const rows = await database()
    .select({ owner: sql<string>`${owner}::text`, count: sql<number>`count(*)::int` })
    .from(table as PgTable)
    .groupBy(owner);
  return new Map(rows.map((row) => [row.owner, row.count]));
}

function shortened(key: string): string {
  return key.length > LONGEST_KEY ? md5(key) : key;
}

function md5(text: string): string {
  return createHash('md5').update(text).digest('hex');
}

function* chunks<T>(items: readonly T[]): Generator<T[]> {
  for (let from = 0; from < items.length; from += CHUNK) yield items.slice(from, from + CHUNK);
}

export const internOperations = interning(
  operation,
  (item: { service: string; name: string; kind: (typeof SPAN_KINDS)[number] }) => `${item.kind}\0${item.service}\0${item.name}`,
  ({ service, name, kind }) => ({ service, name, kind: SPAN_KINDS.indexOf(kind) }),
  {
    owner: (table) => table.service,
    ownerOf: ({ service }) => service,
    most: MOST_NAMES,
    mostOwners: MOST_SERVICES,
    folded: ({ kind }, service) => ({ service, name: OTHER, kind }),
  },
);

export const internCalls = interning(
  call,
  (item: { service: string; peer: string; protocol: string; kind: (typeof SPAN_KINDS)[number]; database: boolean }) =>
    `${item.kind}\0${item.protocol}\0${item.service}\0${item.peer}${item.database ? '\0database' : ''}`,
  ({ service, peer, protocol, kind, database }) => ({ service, peer, protocol, database, kind: SPAN_KINDS.indexOf(kind) }),
  {
    owner: (table) => table.service,
    ownerOf: ({ service }) => service,
    most: MOST_NAMES,
    mostOwners: MOST_SERVICES,
    folded: (it, service) => ({ ...it, service, peer: OTHER }),
  },
);

/** Ids of series that are watched and are no operations, each beside others of its kind. */
export const internWatched = interning(
  watched,
  ({ kind, owner, name }: Row<typeof watched>) => `${kind}\0${owner}\0${name}`,
  (row) => row,
  {
    owner: (table) => table.owner,
    ownerOf: ({ owner }) => owner,
    most: MOST_NAMES,
    mostOwners: MOST_SERVICES,
    folded: (it, owner) => ({ ...it, owner, name: OTHER }),
  },
);

type Row<Table extends Dictionary> = Omit<Table['$inferInsert'], 'hash'>;

export const internResources = interning(
  resource,
  ({ attributes }: Row<typeof resource>) => JSON.stringify(attributes),
  (row) => row,
  {
    owner: (table) => table.service,
    ownerOf: ({ service }) => service,
    most: MOST_RESOURCES,
    mostOwners: MOST_SERVICES,
    folded: (_, service) => ({ service, attributes: {} }),
  },
);

export const internCallEdges = interning(
  callEdge,
  ({ callId, service, side }: Row<typeof callEdge>) => `${side} ${callId} ${service}`,
  (row) => row,
  {
    owner: (table) => table.callId,
    ownerOf: ({ callId }) => String(callId),
    most: MOST_NAMES,
    mostOwners: Number.POSITIVE_INFINITY,
    folded: (it) => ({ ...it, service: OTHER }),
  },
);

export const internInstances = interning(
  instance,
  (row: Row<typeof instance>) => JSON.stringify([row.service, row.instance, row.version, row.host, row.namespace]),
  (row) => row,
  {
    owner: (table) => table.service,
    ownerOf: ({ service }) => service,
    most: MOST_RESOURCES,
    mostOwners: MOST_SERVICES,
    folded: ({ namespace }, service) => ({ service, instance: OTHER, version: '', host: '', namespace }),
  },
);

export const internLogKinds = interning(
  logKind,
  ({ service, severity, eventName }: Row<typeof logKind>) => `${severity}\0${service}\0${eventName}`,
  (row) => row,
  {
    owner: (table) => table.service,
    ownerOf: ({ service }) => service,
    most: MOST_NAMES,
    mostOwners: MOST_SERVICES,
    folded: (it, service) => ({ ...it, service, eventName: it.eventName === '' ? '' : OTHER }),
  },
);

export const internSeries = interning(
  series,
  (row: Row<typeof series>) =>
    JSON.stringify([row.resourceId, row.name, row.unit, row.type, row.temporality, row.monotonic, row.attributes]),
  (row) => row,
  {
    owner: (table) => table.service,
    ownerOf: ({ service }) => service,
    most: MOST_SERIES,
    mostOwners: MOST_SERVICES,
    folded: (it, service) => ({ ...it, service, attributes: { [OTHER]: true } }),
  },
);

export const internFacetRows = interning(
  facet,
  ({ key, value }: Row<typeof facet>) => `${key}\0${value}`,
  (row) => row,
  {
    owner: (table) => table.key,
    ownerOf: ({ key }) => key,
    most: 2 * MOST_VALUES,
    mostOwners: MOST_KEYS,
    folded: (_, key) => ({ key, value: OTHER }),
  },
);

/** Service, name and kind (OpenTelemetry's number) of an operation. */
export interface KnownOperation {
  readonly service: string;
  readonly name: string;
  readonly kind: number;
}

const operationsById = new Map<number, KnownOperation>();

/** The operations with these ids. */
export async function operationsOf(ids: Iterable<number>): Promise<(id: number) => KnownOperation> {
  const known = new Map<number, KnownOperation>();
  const missing: number[] = [];
  for (const id of new Set(ids)) {
    const row = operationsById.get(id);
    if (row) known.set(id, row);
    else missing.push(id);
  }
  for (const part of chunks(missing))
    for (const row of await database().select().from(operation).where(inArray(operation.id, part))) known.set(row.id, row);
  if (operationsById.size > MOST_REMEMBERED) operationsById.clear();
  for (const id of missing) operationsById.set(id, known.get(id)!);
  return (id) => known.get(id)!;
}

/** Tells the id of an operation by its service, name and kind; undefined for one that was never seen. */
export async function operationIds(): Promise<(it: { service: string; name: string; kind: SpanKind }) => number | undefined> {
  const ids = new Map((await allOperations()).map((it) => [`${it.kind} ${it.service}\0${it.name}`, it.id]));
  return ({ service, name, kind }) => ids.get(`${SPAN_KINDS.indexOf(kind)} ${service}\0${name}`);
}

/** Ids of the operations of a service, of a name, or of both. */
export async function operationIdsLike(wanted: { service?: string; name?: string }): Promise<number[]> {
  const conditions: (SQL | undefined)[] = [
    wanted.service === undefined ? undefined : eq(operation.service, wanted.service),
    wanted.name === undefined ? undefined : eq(operation.name, wanted.name),
  ];
  const rows = await database()
    .select({ id: operation.id })
    .from(operation)
    .where(and(...conditions));
  return rows.map((row) => row.id);
}

/** Every operation that was ever seen. */
export async function allOperations(): Promise<(KnownOperation & { readonly id: number })[]> {
  return database()
    .select({ id: operation.id, service: operation.service, name: operation.name, kind: operation.kind })
    .from(operation);
}

/** Every series in which there can be a shift. */
export async function allWatched(): Promise<WatchedSeries[]> {
  const [operations, others] = await Promise.all([allOperations(), database().select().from(watched)]);
  return [
    ...operations.map(
      ({ id, service, name, kind }): WatchedSeries => ({
        key: seriesKeyOf('operation', id),
        kind: 'operation',
        owner: service,
        name,
        isEntry: SPAN_KINDS[kind] === 'server',
        handles: SPAN_KINDS[kind] === 'server' || SPAN_KINDS[kind] === 'consumer',
      }),
    ),
    ...others.map(({ id, kind, owner, name }): WatchedSeries => {
      const known = kind as WatchedKind;
      return { key: seriesKeyOf(known, id), kind: known, owner, name, isEntry: false, handles: false };
    }),
  ];
}
