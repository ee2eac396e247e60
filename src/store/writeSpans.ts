import type pg from 'pg';
import { innerMap } from '../core/maps/innerMap.ts';
import type { OneCall } from '../core/measures/callSum.ts';
import { isCallerMistake } from '../core/trace/callerMistake.ts';
import { instanceOf } from '../core/trace/instance.ts';
import { databaseSystem, peerName, protocolOf } from '../core/trace/peer.ts';
import type { Attributes } from '../core/trace/span.ts';
import { readSpanHead, type SpanHead, WantedKeys } from '../formats/otlp/spanHead.ts';
import { ASTRAY, dayOf, placeDays } from './days.ts';
import { internCalls, internInstances, internLinks, internOperations, operationsOf } from './dictionaries.ts';
import { facetIds } from './facets.ts';
import { type Kept, keepTogether, MOST_TRIES, type PreparedRequest } from './keepTogether.ts';
import { insertBlocks, type PackedBlock, packBlocks } from './packBlocks.ts';
import { spanBlock } from './schema/index.ts';
import type { ReadSpan, SpanArrival } from './spanArrival.ts';
import { type MetOn, type SpanSums, sumUp, traceRows } from './spanSums.ts';
import { insertTallies, insertTallyLines, minuteOf, TallyBook } from './tallies.ts';
import { insertTraceLines, lockTraces, type TraceRow, updateTraces } from './traceRows.ts';
import { blocksOf } from './unpackBlocks.ts';

/** The spans of a request with their places in the store, packed into blocks. */
export interface PreparedSpans {
  readonly arrivals: readonly SpanArrival[];
  readonly blocks: readonly PackedBlock<SpanArrival>[];
}

/** All that can be done for the spans of a request before they are written, without waiting for others. @param hash of its body */
export async function prepareSpans(spans: readonly ReadSpan[], hash: string, attempt = 1): Promise<PreparedSpans> {
  const arrivals = await withPlaces(withoutRepeats(spans));
  return { arrivals, blocks: await packBlocks(arrivals, hash, attempt, traceOf) };
}

/**
 * Keeps the spans of some requests, all or none: their blocks, the rows of their traces, the tallies of their operations and calls, and
 * the hashes of the bodies, in one transaction that is committed when this returns. A span that is already there (same trace and span
 * id) stays as it is and is not counted again.
 */
export async function writeSpans(requests: readonly PreparedRequest<PreparedSpans>[]): Promise<Kept[]> {
  // While another transaction is under way, all is made ready that does not depend on it.
  const expected = sumsOf(requests.map(({ prepared }) => prepared));
  return keepTogether(requests, async (client, fresh, attempt) => {
    // A day may have been dropped, or an id of a block been taken, since they were prepared.
    const isExpected = attempt === 1 && fresh.length === requests.length;
    const prepared = isExpected
      ? []
      : await Promise.all(
          fresh.map((it) => (attempt === 1 ? it.prepared : prepareSpans(it.prepared.arrivals, it.body.hash, attempt))),
        );
    const { arrivals, sums } = isExpected ? expected : sumsOf(prepared);
    if (arrivals.length === 0) return;
    // Neighbouring requests have traces in common: two writers at once would undo each other's work.
    await client.query(`SELECT pg_advisory_xact_lock(hashtext('spans'))`);
    const known = await knownTraces(client, arrivals);
    const kept = await atHome(arrivals, known);
    const isAsPacked = kept === arrivals && sums !== undefined;
    await writeSums(
      client,
      isAsPacked ? sums : sumUp(await packBlocks(kept, fresh[0].body.hash, MOST_TRIES + attempt, traceOf)),
      known,
    );
  });
}

/** The spans of some requests, and what they come to as they are packed; without the latter when they are to be packed anew. */
function sumsOf(requests: readonly PreparedSpans[]): { arrivals: readonly SpanArrival[]; sums: SpanSums | undefined } {
  const all = requests.flatMap((it) => it.arrivals);
  const arrivals = withoutShared(requests, all);
  return { arrivals, sums: arrivals === all ? sumUp(requests.flatMap((it) => it.blocks)) : undefined };
}

async function writeSums(client: pg.PoolClient, sums: SpanSums, known: ReadonlyMap<string, TraceRow>): Promise<void> {
  const { blocks, traces } = sums;
  await insertBlocks(client, 'span_block', blocks);
  await insertTallyLines(client, 'operation_minute', sums.operationLines);
  await insertTallyLines(client, 'call_minute', sums.callLines);
  await insertTallyLines(client, 'instance_minute', sums.instanceLines);
  const fresh = traces.filter(({ id }) => !known.has(id));
  await insertTraceLines(
    client,
    fresh.map(({ line }) => line),
  );
  const grown = known.size > 0 ? traceRows(blocks, known, (id) => known.has(id)) : undefined;
  if (grown)
    await updateTraces(
      client,
      [...grown.rows.keys()].sort().map((id) => grown.rows.get(id)!),
    );
  await writeLinks(client, [...fresh.flatMap(({ met }) => met), ...[...(grown?.metOf.values() ?? [])].flat()]);
}

function traceOf({ head }: SpanArrival): string {
  return head.traceId;
}

/** Spans that came in two of the requests at once, once. The same list when there are none. */
function withoutShared(requests: readonly PreparedSpans[], all: readonly SpanArrival[]): readonly SpanArrival[] {
  if (requests.length === 1) return all;
  // Each request is without repeats in itself: only traces that two of them have need a look.
  const seenIn = new Map<string, number>();
  const shared = new Set<string>();
  for (const [at, { arrivals }] of requests.entries())
    for (const { head } of arrivals) {
      const before = seenIn.get(head.traceId);
      if (before === undefined) seenIn.set(head.traceId, at);
      else if (before !== at) shared.add(head.traceId);
    }
  if (shared.size === 0) return all;
  const seen = new Set<string>();
  const kept = all.filter(({ head: { traceId, spanId } }) => {
    if (!shared.has(traceId)) return true;
    const key = traceId + spanId;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
  return kept.length === all.length ? all : kept;
}

function withoutRepeats<S extends ReadSpan>(spans: readonly S[]): readonly S[] {
  // Span ids are random: as long as all differ, there is nothing to look at closer.
  const ids = new Set<string>();
  for (const { head } of spans) ids.add(head.spanId);
  if (ids.size === spans.length) return spans;
  const seen = new Set<string>();
  return spans.filter(({ head: { traceId, spanId } }) => {
    const key = traceId + spanId;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

/** Few different things among many, each with its place in a list. */
class Distinct<Item> {
  readonly items: Item[] = [];
  readonly #places = new Map<string, Map<string, Map<string, number>>>();

  /** The place of the thing that three texts identify. */
  place(first: string, second: string, third: string, make: () => Item): number {
    const places = innerMap(innerMap(this.#places, first), second);
    let place = places.get(third);
    if (place === undefined) {
      place = this.items.push(make()) - 1;
      places.set(third, place);
    }
    return place;
  }
}

async function withPlaces(spans: readonly ReadSpan[]): Promise<SpanArrival[]> {
  const operations = new Distinct<Parameters<typeof internOperations>[0][number]>();
  const calls = new Distinct<Parameters<typeof internCalls>[0][number]>();
  const first = new Map<string, bigint>();
  const places = spans.map(({ head: { kind, name, told, traceId, start }, service }) => {
    const known = first.get(traceId);
    if (known === undefined || start < known) first.set(traceId, start);
    const operationPlace = operations.place(service, name, kind, () => ({ service, name, kind }));
    if (kind !== 'client' && kind !== 'producer' && kind !== 'consumer') return { operation: operationPlace, call: null };
    const peer = peerName(told);
    const protocol = protocolOf(told);
    const isDatabase = databaseSystem(told) !== undefined;
    const of = kind === 'client' ? (isDatabase ? `database ${service}` : service) : `${kind} ${service}`;
    const call = calls.place(of, peer, protocol, () => ({ service, peer, protocol, kind, database: isDatabase }));
    return { operation: operationPlace, call };
  });
  const operationIds = await internOperations(operations.items);
  const callIds = await internCalls(calls.items);
  const instanceIds = await instancesOf(spans);
  const facets = await facetIds(spans);
  const dayOfTrace = new Map([...first].map(([id, start]) => [id, dayOf(start)]));
  const placed = await placeDays('traces', dayOfTrace.values());
  return spans.map(({ head, service, resource, group, record }, at) => {
    const { operation, call } = places[at];
    return {
      head,
      service,
      resource,
      group,
      record,
      firstNs: head.start,
      day: placed(dayOfTrace.get(head.traceId)!),
      operationId: operationIds[operation],
      callId: call === null ? null : callIds[call],
      instanceId: instanceIds.get(resource)!,
      facetIds: facets[at].own,
      resourceFacetIds: facets[at].ofResource,
      minute: minuteOf(head.start),
      tallied: talliedOf(head),
    };
  });
}

/** The instances that sent some spans, by their resource. */
async function instancesOf(spans: readonly ReadSpan[]): Promise<Map<Attributes, number>> {
  const services = new Map<Attributes, string>();
  for (const { resource, service } of spans) services.set(resource, service);
  const ids = await internInstances([...services].map(([resource, service]) => instanceOf(resource, service)));
  return new Map([...services.keys()].map((resource, at) => [resource, ids[at]]));
}

const HOUR_NS = 3_600_000_000_000n;
const HOUR = Number(HOUR_NS);
/** A part of a trace finds the parts before it when they began within this time, or end within the other after it. */
const LOOK_BACK = 6n * HOUR_NS;
const LOOK_AHEAD = HOUR_NS;

/** The rows there are of the traces of these spans, by trace; locked. */
async function knownTraces(client: pg.PoolClient, arrivals: readonly SpanArrival[]): Promise<ReadonlyMap<string, TraceRow>> {
  const days = new Set<number>();
  const homes = new Set<number>();
  let earliest: bigint | undefined;
  let latest: bigint | undefined;
  for (const { head, day } of arrivals) {
    homes.add(day);
    days.add(day);
    if (day === ASTRAY) continue;
    if (earliest === undefined || head.start < earliest) earliest = head.start;
    if (latest === undefined || head.start > latest) latest = head.start;
    if (head.durationNs > HOUR) days.add(dayOf(head.start + BigInt(head.durationNs) + LOOK_AHEAD));
  }
  if (earliest !== undefined && latest !== undefined) days.add(dayOf(earliest - LOOK_BACK)).add(dayOf(latest + 2n * LOOK_AHEAD));
  // Near midnight two senders may each hold one end of a trace and see nothing of the other: they go one after the other.
  if (homes.size < days.size) await client.query(`SELECT pg_advisory_xact_lock(hashtext('midnight'))`);
  const ids = [...new Set(arrivals.map(({ head }) => head.traceId as string))].sort();
  const rows = new Map<string, TraceRow>();
  // Of rows on several days, which only parts hours from each other make, the first takes what comes.
  for (const row of await lockTraces(client, ids, [...days])) if (!rows.has(row.traceId)) rows.set(row.traceId, row);
  return rows;
}

/** The spans that are not there yet, each on the day where its trace lies. The same list when that changes nothing. */
async function atHome(arrivals: readonly SpanArrival[], rows: ReadonlyMap<string, TraceRow>): Promise<readonly SpanArrival[]> {
  if (rows.size === 0) return arrivals;
  const suspected = suspects(arrivals, rows);
  const there =
    suspected.length > 0 ? await spansIn(new Set(suspected.map(({ head }) => rows.get(head.traceId)!))) : new Set<string>();
  const repeated = new Set(suspected.filter(({ head }) => there.has(head.traceId + head.spanId)));
  const isMoved = (it: SpanArrival) => (rows.get(it.head.traceId)?.day ?? it.day) !== it.day;
  if (repeated.size === 0 && !arrivals.some(isMoved)) return arrivals;
  return arrivals
    .filter((arrival) => !repeated.has(arrival))
    .map((arrival) => ({ ...arrival, day: rows.get(arrival.head.traceId)?.day ?? arrival.day }));
}

/** Spans whose key is among those of their trace. */
function suspects(arrivals: readonly SpanArrival[], rows: ReadonlyMap<string, TraceRow>): SpanArrival[] {
  const keysOf = new Map<string, Set<string>>();
  return arrivals.filter(({ head: { traceId, spanId } }) => {
    const row = rows.get(traceId);
    if (!row) return false;
    let keys = keysOf.get(traceId);
    if (!keys) {
      keys = new Set(row.spanKeys.match(/.{8}/g) ?? []);
      keysOf.set(traceId, keys);
    }
    return keys.has(spanId.slice(8));
  });
}

const NO_KEYS = new WantedKeys([]);

/** Trace and span id of every span of some traces, one after the other. Each block is read once, however many of them lie in it. */
async function spansIn(rows: ReadonlySet<TraceRow>): Promise<Set<string>> {
  const blocksOn = new Map<number, Set<number>>();
  for (const { day, blocks } of rows) {
    const ids = blocksOn.get(day) ?? new Set();
    blocksOn.set(day, ids);
    for (const block of blocks) ids.add(block);
  }
  const wanted = new Set([...rows].map(({ traceId }) => traceId));
  const found = new Set<string>();
  for (const [day, ids] of blocksOn)
    for await (const { request } of blocksOf(spanBlock, day, [...ids]))
      for (const { records } of request.groups)
        for (const record of records) {
          const { traceId, spanId } = readSpanHead(record, NO_KEYS);
          if (wanted.has(traceId)) found.add(traceId + spanId);
        }
  return found;
}

function talliedOf({ durationNs, failed, kind, told }: SpanHead): OneCall {
  return { durationNs, failed, mistake: failed && isCallerMistake({ kind, attributes: told }) };
}

/** Counts calls by who took them, as measured by either side. */
async function writeLinks(client: pg.PoolClient, met: readonly MetOn[]): Promise<void> {
  if (met.length === 0) return;
  const operation = await operationsOf(met.map(({ call }) => call.operationId));
  const sides = met.flatMap(({ call: { callId, operationId, again } }) => {
    const { service } = operation(operationId);
    return [
      { callId, service, side: again ? ('again' as const) : ('caller' as const) },
      { callId, service, side: 'callee' as const },
    ];
  });
  const ids = await internLinks(sides);
  const book = new TallyBook();
  met.forEach(({ day, call: { minute, caller, callee } }, at) => {
    book.add(day, minute, ids[2 * at], false, caller);
    book.add(day, minute, ids[2 * at + 1], false, callee);
  });
  await insertTallies(client, 'link_minute', book.tallies);
}
