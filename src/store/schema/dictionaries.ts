import { boolean, index, integer, jsonb, pgTable, smallint, text, unique } from 'drizzle-orm/pg-core';
import type { Attributes } from '../../core/trace/span.ts';
import { hexBytes, seen } from './columns.ts';

/*
 * Strings that repeat, once each. `hash` is the MD5 of what identifies a row, since an index entry has no room for a text of any
 * length.
 */
const id = () => integer('id').primaryKey().generatedAlwaysAsIdentity();
const hash = () => hexBytes('hash').notNull();

/** What is done where. `kind` is OpenTelemetry's number of the span kind. */
export const operation = pgTable(
  'operation',
  {
    id: id(),
    service: text('service').notNull(),
    name: text('name').notNull(),
    kind: smallint('kind').notNull(),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('operation_hash').on(table.hash)],
);

/** Who calls whom: a service, the peer that its client, producer or consumer spans name, and over which protocol. */
export const call = pgTable(
  'call',
  {
    id: id(),
    service: text('service').notNull(),
    peer: text('peer').notNull(),
    protocol: text('protocol').notNull(),
    kind: smallint('kind').notNull(),
    /** Whether the call says that it is one to a database. */
    database: boolean('database').notNull().default(false),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('call_hash').on(table.hash)],
);

/**
 * Who takes the calls of a `call`: the service of the span below the caller's. `side` says by whom they were measured: the caller, the
 * callee, or the caller again, where one span of it was taken by several.
 */
export const callEdge = pgTable(
  'call_edge',
  {
    id: id(),
    callId: integer('call_id').notNull(),
    service: text('service').notNull(),
    side: text('side').$type<'caller' | 'callee' | 'again'>().notNull(),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('link_hash').on(table.hash)],
);

/** One running copy of a service, as its resource tells: instance, version, host, and the namespace (team) of the service. */
export const instance = pgTable(
  'instance',
  {
    id: id(),
    service: text('service').notNull(),
    instance: text('instance').notNull(),
    version: text('version').notNull(),
    host: text('host').notNull(),
    namespace: text('namespace').notNull(),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('instance_hash').on(table.hash), index('instance_service').on(table.service)],
);

/** Where telemetry comes from: OpenTelemetry's resource. */
export const resource = pgTable(
  'resource',
  {
    id: id(),
    service: text('service').notNull(),
    attributes: jsonb('attributes').$type<Attributes>().notNull(),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('resource_hash').on(table.hash)],
);

/** What kind of log line it is: who, how severe (OpenTelemetry's number, 0 when not set), and the event's name if it is one. */
export const logKind = pgTable(
  'log_kind',
  {
    id: id(),
    service: text('service').notNull(),
    severity: smallint('severity').notNull(),
    eventName: text('event_name').notNull(),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('log_kind_hash').on(table.hash)],
);

/** A series of measures: whose, what, in which unit and by which attributes. */
export const series = pgTable(
  'series',
  {
    id: id(),
    resourceId: integer('resource_id').notNull(),
    service: text('service').notNull(),
    name: text('name').notNull(),
    unit: text('unit').notNull(),
    /** gauge, sum, histogram, exponential or summary. */
    type: text('type').notNull(),
    /** OpenTelemetry's number of the aggregation temporality: 1 delta, 2 cumulative, 0 where there is none. */
    temporality: smallint('temporality').notNull(),
    monotonic: boolean('monotonic').notNull(),
    attributes: jsonb('attributes').$type<Attributes>().notNull(),
    seen: seen(),
    hash: hash(),
  },
  (table) => [unique('series_hash').on(table.hash)],
);

/** Attribute values by which requests can be distinguished, those of keys with few values; see `trace.facet_ids`. */
export const facet = pgTable(
  'facet',
  { id: id(), key: text('key').notNull(), value: text('value').notNull(), seen: seen(), hash: hash() },
  (table) => [unique('facet_hash').on(table.hash), index('facet_key').on(table.key)],
);
