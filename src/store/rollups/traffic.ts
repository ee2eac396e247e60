import { eq, not } from 'drizzle-orm';
import { addCalls, type CallSum, sumIn } from '../../core/measures/callSum.ts';
import { type CallKind, nodeId, peerKind } from '../../core/topology/node.ts';
import { addressKey, type CallTraffic, nothingTaken, type Place, type Traffic } from '../../core/topology/traffic.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { call, callEdge, instance } from '../schema/index.ts';
import { rollupSums } from './rollupSums.ts';
import { visitTraffic } from './visitTraffic.ts';

type Instance = Omit<typeof instance.$inferSelect, 'hash' | 'seen'>;

/** Every instance that was ever seen. */
export async function allInstances(): Promise<Instance[]> {
  const { id, service, instance: name, version, host, namespace } = instance;
  return database().select({ id, service, instance: name, version, host, namespace }).from(instance);
}

/** Requests that each service handled in a stretch of time, of whole minutes. Times are epoch nanoseconds, `to` exclusive. */
export async function handledBetween(from: bigint, to: bigint): Promise<Map<string, CallSum>> {
  const [instances, byInstance] = await Promise.all([allInstances(), rollupSums('instance_minute', from, to)]);
  const handled = new Map<string, CallSum>();
  for (const { id, service } of instances) {
    const sum = byInstance.get(id);
    if (sum) addCalls(sumIn(handled, service), sum);
  }
  return handled;
}

/** All traffic of a stretch of time, of whole minutes, from the rollups. Times are epoch nanoseconds, `to` exclusive. */
export async function trafficBetween(from: bigint, to: bigint): Promise<Traffic> {
  const [handled, calls, edges, byCall, byEdge, visits] = await Promise.all([
    handledBetween(from, to),
    database().select().from(call),
    database().select().from(callEdge),
    rollupSums('call_minute', from, to),
    rollupSums('call_edge_minute', from, to),
    visitTraffic(from, to),
  ]);
  const places = new Map<string, Place>();
  for (const service of handled.keys()) places.set(service, { service });
  const traffic = new Map<number, CallTraffic>();
  for (const { id, service, peer, protocol, kind, database: isDatabase } of calls) {
    const all = byCall.get(id);
    if (!all) continue;
    places.set(service, { service });
    const of = SPAN_KINDS[kind] as CallKind;
    traffic.set(id, { from: service, service, peer, protocol, kind: of, database: isDatabase, all, takers: new Map() });
  }
  for (const { id, callId, service, side } of edges) {
    const sum = byEdge.get(id);
    const to = traffic.get(callId);
    if (!sum || !to) continue;
    places.set(service, { service });
    const taken = to.takers.get(service) ?? nothingTaken();
    to.takers.set(service, taken);
    addCalls(taken[side], sum);
  }
  return { places, handled, calls: [...traffic.values()], visits };
}

/** Who takes what is sent to an address: the service that took all that was ever taken there; undefined when none did, or several. */
export async function addressees(): Promise<(call: CallTraffic) => string | undefined> {
  const [calls, edges] = await Promise.all([
    database().select().from(call),
    database().selectDistinct({ callId: callEdge.callId, service: callEdge.service }).from(callEdge),
  ]);
  const takers = new Map<number, string[]>();
  for (const { callId, service } of edges) takers.set(callId, [...(takers.get(callId) ?? []), service]);
  const known = new Map<string, string | undefined>();
  for (const it of calls) {
    const [first, ...others] = takers.get(it.id) ?? [];
    known.set(addressKey({ ...it, kind: SPAN_KINDS[it.kind] as CallKind }), others.length === 0 ? first : undefined);
  }
  return (it) => known.get(addressKey(it));
}

/** By service, those that it was ever seen to call. */
export async function calleesByService(): Promise<Map<string, Set<string>>> {
  const rows = await database()
    .selectDistinct({ caller: call.service, callee: callEdge.service })
    .from(callEdge)
    .innerJoin(call, eq(callEdge.callId, call.id));
  const callees = new Map<string, Set<string>>();
  for (const { caller, callee } of rows) callees.set(caller, (callees.get(caller) ?? new Set<string>()).add(callee));
  return callees;
}

/** By what a peer is known to its callers, the service that takes what is sent there; where that is one service alone. */
export async function peerServices(): Promise<Map<string, string>> {
  const rows = await database()
    .selectDistinct({ peer: call.peer, service: callEdge.service })
    .from(callEdge)
    .innerJoin(call, eq(callEdge.callId, call.id))
    .where(not(call.database));
  const takers = new Map<string, string[]>();
  for (const { peer, service } of rows) takers.set(peer, [...(takers.get(peer) ?? []), service]);
  return new Map([...takers].flatMap(([peer, [first, ...others]]) => (others.length === 0 ? [[peer, first] as const] : [])));
}

/** Ids of the calls that go to a node of the map which does not report itself. */
export async function callsTo(node: string): Promise<number[]> {
  const calls = await database().select().from(call);
  return calls
    .filter(({ kind, protocol, peer, database: isDatabase }) => {
      const of = SPAN_KINDS[kind] as CallKind;
      return of !== 'consumer' && nodeId(peerKind(of, protocol, isDatabase), peer) === node;
    })
    .map(({ id }) => id);
}
