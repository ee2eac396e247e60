import { type SQL, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import type { Attributes } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** An object as it was last reported before a moment. */
export interface InventoryObject {
  readonly id: string;
  readonly kind: string;
  readonly name: string;
  readonly partOf: string;
  readonly standsOn: string;
  readonly uses: readonly string[];
  readonly labels: Readonly<Record<string, string>>;
  readonly detail: Attributes;
  /** When that was reported, epoch milliseconds. */
  readonly at: number;
  readonly gone: boolean;
}

/** Objects that are read at once. */
const MOST_OBJECTS = 30_000;
/** Characters of the details of all of them. */
const MOST_TEXT = 48 * 2 ** 20;
const FIELDS = sql.raw(`object_id AS id, kind, name, part_of AS "partOf", stands_on AS "standsOn", uses, labels, detail,
  (time_ns / 1000000)::float8 AS at, gone`);
const DAY_NS = 86_400_000_000_000n;
/** What was not reported for so long is not there any more. */
const HEARD_OF_NS = 2n * DAY_NS;

/** Objects as they were at a moment (epoch nanoseconds), of some kinds. */
export function objectsAt(moment: bigint, kinds: readonly string[]): Promise<InventoryObject[]> {
  return latest(moment, sql`kind = ANY(${sql.param([...kinds])}::text[])`);
}

/** Some objects as they were at a moment. */
export async function objectsById(moment: bigint, ids: readonly string[]): Promise<InventoryObject[]> {
  return ids.length === 0 ? [] : latest(moment, sql`object_id = ANY(${sql.param([...ids])}::text[])`);
}

/** Objects of a kind by their name, whatever else their id holds. */
export function objectsNamed(moment: bigint, kind: string, name: string): Promise<InventoryObject[]> {
  return latest(moment, sql`kind = ${kind} AND name = ${name}`);
}

/** A pod as the inventory names it. */
interface NamedPod {
  readonly name: string;
  /** Empty when it is of none. */
  readonly service: string;
}

/** A uid is of one pod for ever. Of one that the inventory does not have yet that is remembered for a minute. */
const pods = new LRUCache<string, { readonly pod: NamedPod | undefined }>({ max: 50_000 });
const UNKNOWN_MS = 60_000;

/** Pods by their uids, as far as the inventory tells them, from two days before a moment on. */
export async function podsByUid(moment: bigint, uids: readonly string[]): Promise<Map<string, NamedPod>> {
  const unread = uids.filter((uid) => !pods.has(uid));
  const read = unread.length === 0 ? new Map<string, NamedPod>() : await readPods(moment, unread);
  for (const uid of unread) {
    const pod = read.get(uid);
    pods.set(uid, { pod }, pod ? {} : { ttl: UNKNOWN_MS });
  }
  return new Map(
    uids.flatMap((uid) => {
      const pod = read.get(uid) ?? pods.get(uid)?.pod;
      return pod ? [[uid, pod] as const] : [];
    }),
  );
}

async function readPods(moment: bigint, uids: readonly string[]): Promise<Map<string, NamedPod>> {
  const from = moment - HEARD_OF_NS;
  const { rows } = await database().execute(sql`
    SELECT DISTINCT ON (detail ->> 'uid') detail ->> 'uid' AS uid, name, coalesce(labels ->> 'app', '') AS service FROM inventory
    WHERE day >= ${Math.max(1, dayOf(from))} AND time_ns >= ${from}
      AND kind = 'pod' AND detail ->> 'uid' = ANY(${sql.param([...uids])}::text[])
    ORDER BY 1, time_ns DESC LIMIT ${MOST_OBJECTS}`);
  return new Map((rows as unknown as (NamedPod & { uid: string })[]).map(({ uid, name, service }) => [uid, { name, service }]));
}

/** Objects that belong to one of some, or are given it, or stand on it, at a moment. */
export async function objectsAround(moment: bigint, ids: readonly string[]): Promise<InventoryObject[]> {
  if (ids.length === 0) return [];
  const list = sql.param([...ids]);
  return latest(moment, sql`(part_of = ANY(${list}::text[]) OR stands_on = ANY(${list}::text[]) OR uses ?| ${list}::text[])`);
}

async function latest(moment: bigint, which: SQL): Promise<InventoryObject[]> {
  const from = moment - HEARD_OF_NS;
  const { rows } = await database().execute(sql`
    WITH latest AS (
      SELECT DISTINCT ON (object_id) ${FIELDS} FROM inventory
      WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(moment)} AND time_ns >= ${from} AND time_ns < ${moment} AND ${which}
      ORDER BY object_id, time_ns DESC LIMIT ${MOST_OBJECTS}
    ), counted AS (SELECT *, sum(length(detail::text) + length(labels::text)) OVER (ORDER BY id ROWS UNBOUNDED PRECEDING) AS so_far FROM latest)
    SELECT id, kind, name, "partOf", "standsOn", uses, labels, detail, at, gone FROM counted
    WHERE NOT gone AND so_far <= ${MOST_TEXT} ORDER BY kind, name`);
  return rows as unknown as InventoryObject[];
}

/** How many objects of each kind there are at a moment. */
export async function objectKinds(moment: bigint): Promise<{ kind: string; objects: number }[]> {
  const from = moment - HEARD_OF_NS;
  const { rows } = await database().execute(sql`
    SELECT kind, count(DISTINCT object_id)::int AS objects FROM inventory
    WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(moment)} AND time_ns >= ${from} AND time_ns < ${moment}
    GROUP BY 1 ORDER BY 1 LIMIT 300`);
  return rows as unknown as { kind: string; objects: number }[];
}

/** One state of an object's specification. */
export interface SpecificationState {
  /** Epoch milliseconds. */
  readonly at: number;
  readonly specification: string;
}

/** States that are looked at for one that differs. */
const MOST_STATES = 500;

/** The specification that an object has at a moment, since when, and the one that it had before; both only as far as there are such. */
export async function specificationsOf(id: string, moment: bigint): Promise<SpecificationState[]> {
  const { rows } = await database().execute(sql`
    WITH latest AS (
      SELECT time_ns, specification FROM inventory
      WHERE object_id = ${id} AND day <= ${dayOf(moment)} AND time_ns < ${moment} AND specification <> ''
      ORDER BY time_ns DESC LIMIT ${MOST_STATES}
    ), marked AS (SELECT *, lag(md5(specification)) OVER (ORDER BY time_ns) AS former FROM latest)
    SELECT (time_ns / 1000000)::float8 AS at, specification FROM marked
    WHERE former IS DISTINCT FROM md5(specification) ORDER BY time_ns DESC LIMIT 2`);
  return rows as unknown as SpecificationState[];
}

/** Something that happened to an object. */
export interface ObjectEventRow {
  /** Epoch milliseconds. */
  readonly at: number;
  readonly objectId: string;
  readonly kind: string;
  readonly name: string;
  readonly reason: string;
  readonly message: string;
  readonly trouble: boolean;
  readonly count: number;
}

const MOST_EVENTS = 20_000;

/** What happened in a stretch of time (epoch nanoseconds, `to` exclusive), the latest first. @param ids of some objects only @param kind of one kind only */
export async function objectEvents(
  from: bigint,
  to: bigint,
  { ids, kind, most = MOST_EVENTS }: { ids?: readonly string[]; kind?: string; most?: number } = {},
): Promise<ObjectEventRow[]> {
  const { rows } = await database().execute(sql`
    SELECT (time_ns / 1000000)::float8 AS at, object_id AS "objectId", kind, name, reason, message, trouble, count FROM object_event
    WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
      ${ids === undefined ? sql`` : sql`AND object_id = ANY(${sql.param([...ids])}::text[])`} ${kind === undefined ? sql`` : sql`AND kind = ${kind}`}
    ORDER BY time_ns DESC LIMIT ${most}`);
  return rows as unknown as ObjectEventRow[];
}
