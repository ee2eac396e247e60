import { Fleet } from '../../core/machines/fleet.ts';
import type { Subject } from '../../core/machines/measures.ts';
import { standingOf } from '../../core/machines/rules.ts';
import type { Column, Reading } from '../../core/machines/strata.ts';
import { type UsualRange, usualRange } from '../../core/machines/usualRange.ts';
import { type InstanceBlock, instanceBlocks } from '../../store/machines/instanceBlocks.ts';
import { type InventoryObject, objectsAt } from '../../store/machines/objects.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import type { Window } from '../comparison.ts';
import { boundedMeasures } from './boundedMeasures.ts';

/** All that is known of machines and what runs on them, in both windows. */
export interface KnownFleet {
  readonly fleet: Fleet;
  readonly columns: readonly Column[];
  /** By the column's place. */
  readonly calls: readonly Calls[];
  /** Hosts and virtual machines, by name. */
  readonly machines: ReadonlyMap<string, Machine>;
  readonly blockMinutes: number;
  /** Minutes of the lit window. */
  readonly minutes: number;
  readonly firstMinute: number;
}

/** What an instance handled, by block of minutes. */
export interface Calls {
  readonly lit: ReadonlyMap<number, InstanceBlock>;
  readonly before: ReadonlyMap<number, InstanceBlock>;
  /** Of its p95, nanoseconds. */
  readonly usual: UsualRange | undefined;
}

export interface Machine {
  readonly name: string;
  readonly kind: 'host' | 'vm';
  /** What a virtual machine stands on. */
  readonly standsOn: string;
  /** 0 when not known. */
  readonly cores: number;
  readonly memory: number;
}

const MINUTE_NS = 60_000_000_000n;
/** The reference is cut into so many blocks at most. */
const MOST_BLOCKS = 60;
const SHORTEST_BLOCK = 5;
/** Blocks of the reference that say what is usual. */
const ENOUGH_BLOCKS = 5;
/** Requests of a block that make its p95 worth looking at. */
const ENOUGH_CALLS = 20;
/** p95 that is not this many times the usual one is no trouble. */
const LEAST_RATIO = 1.25;
/** A p95 of less is nobody's trouble, nanoseconds. */
const LEAST_NS = 2e6;

export async function knownFleet(
  { lit, before }: { lit: Window; before: Window },
  services?: ReadonlySet<string>,
): Promise<KnownFleet> {
  const longest = Math.max(Number((lit.to - lit.from) / MINUTE_NS), Number((before.to - before.from) / MINUTE_NS));
  const blockMinutes = Math.max(SHORTEST_BLOCK, Math.ceil(longest / MOST_BLOCKS));
  const [now, then, blocksLit, blocksBefore, instances, objects] = await Promise.all([
    boundedMeasures(lit.from, lit.to),
    boundedMeasures(before.from, before.to),
    instanceBlocks(lit.from, lit.to, blockMinutes),
    instanceBlocks(before.from, before.to, blockMinutes),
    allInstances(),
    objectsAt(lit.to, ['host', 'vm', 'pod']),
  ]);
  const machines = machinesOf(objects, now.subjects);
  const containers = new Map(
    now.subjects.filter(({ kind }) => kind === 'process').map((it) => [`${it.service}\0${it.name}`, it.container]),
  );
  const known = new Set(now.subjects.filter(({ kind }) => kind === 'container').map(({ name }) => name));
  const latest = new Map<string, { column: Column; ids: number[] }>();
  for (const { id, service, instance, host } of instances) {
    if (!blocksLit.has(id) || (services && !services.has(service))) continue;
    const key = `${service}\0${instance}`;
    const at = latest.get(key);
    // The same instance in two versions is one.
    if (at) at.ids.push(id);
    else {
      const container = containers.get(key) ?? (known.has(instance) ? instance : '');
      latest.set(key, { column: { service, instance, container, ...placeOf(host, machines) }, ids: [id] });
    }
  }
  const found = [...latest.values()].sort(
    (a, b) =>
      compare(a.column.host, b.column.host) || compare(a.column.vm, b.column.vm) || compare(a.column.instance, b.column.instance),
  );
  const limits = new Map(
    objects.flatMap(({ kind, name, detail }) =>
      kind === 'pod' && Number(detail['memory.limit']) > 0 ? [[name, Number(detail['memory.limit'])] as const] : [],
    ),
  );
  return {
    fleet: new Fleet(now, then, limits),
    columns: found.map(({ column }) => column),
    calls: found.map(({ ids }) => {
      const [own, former] = [merged(ids, blocksLit), merged(ids, blocksBefore)];
      return { lit: own, before: former, usual: usualP95(former) };
    }),
    machines,
    blockMinutes,
    minutes: now.minutes,
    firstMinute: now.firstMinute,
  };
}

function machinesOf(objects: readonly InventoryObject[], subjects: readonly Subject[]): Map<string, Machine> {
  const machines = new Map<string, Machine>();
  for (const { kind, name, standsOn, partOf, detail } of objects)
    if (kind === 'host' || kind === 'vm')
      machines.set(name, {
        name,
        kind,
        standsOn: kind === 'vm' ? standsOn || partOf : '',
        cores: Number(detail.cores) || 0,
        memory: Number(detail.memory) || 0,
      });
  // One that only measures is a host.
  for (const { kind, name } of subjects)
    if (kind === 'host' && !machines.has(name)) machines.set(name, { name, kind: 'host', standsOn: '', cores: 0, memory: 0 });
  return machines;
}

function placeOf(host: string, machines: ReadonlyMap<string, Machine>): { vm: string; host: string } {
  const machine = machines.get(host);
  return machine?.kind === 'vm' ? { vm: host, host: machine.standsOn } : { vm: '', host };
}

function merged(
  ids: readonly number[],
  blocks: ReadonlyMap<number, ReadonlyMap<number, InstanceBlock>>,
): Map<number, InstanceBlock> {
  const all = new Map<number, InstanceBlock>();
  for (const id of ids)
    for (const [block, it] of blocks.get(id) ?? []) {
      const known = all.get(block);
      // While a new version comes, the one with more requests says the p95.
      all.set(block, {
        calls: it.calls + (known?.calls ?? 0),
        ok: it.ok + (known?.ok ?? 0),
        okNs: it.okNs + (known?.okNs ?? 0),
        p95Ns: known && known.calls > it.calls ? known.p95Ns : it.p95Ns,
      });
    }
  return all;
}

/** What is usual of an instance's p95, by blocks of the reference. */
export function usualP95(blocks: ReadonlyMap<number, InstanceBlock>): UsualRange | undefined {
  const values = [...blocks.values()].filter(({ calls }) => calls >= ENOUGH_CALLS).map(({ p95Ns }) => p95Ns);
  const range = usualRange(values, LEAST_NS, ENOUGH_BLOCKS);
  return range && { ...range, high: Math.max(range.high, LEAST_RATIO * range.median) };
}

/**
 * How an instance's requests stand in the block around a minute of the lit window. One block alone is chance among so many: it is ill when one
 * beside it is, too.
 */
export function serviceReading({ blockMinutes, firstMinute, minutes }: KnownFleet, calls: Calls, minute: number): Reading {
  const at = Math.floor((firstMinute + minute) / blockMinutes);
  const p95At = (block: number) => {
    const it = calls.lit.get(block);
    return it && it.calls >= ENOUGH_CALLS ? it.p95Ns : Number.NaN;
  };
  const standings = [at - 1, at, at + 1].map((block) => standingOf(p95At(block), calls.usual, LEAST_NS));
  const isAlone = standings[0] !== 'ill' && standings[2] !== 'ill' && minutes > blockMinutes;
  const standing = standings[1] === 'ill' && isAlone ? 'calm' : standings[1];
  return { rule: 'p95', value: p95At(at), usual: calls.usual, standing };
}

function compare(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0;
}
