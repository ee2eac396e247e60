import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { group, quantile, sum } from 'd3-array';
import { groupsOf } from '../collectors/host/containers.ts';
import { machineReadings } from '../collectors/host/machine.ts';
import { ProcessWatch } from '../collectors/host/processes.ts';
import { MACHINES, SERVICES } from '../demo/company/services.ts';
import type { Draft } from '../demo/incidents/drafts.ts';
import { HOST_FAMILY } from '../demo/incidents/hostFamily.ts';
import { Run } from '../demo/run.ts';
import { chance } from '../demo/simulation/chance.ts';
import { type KnownFleet, usualP95 } from '../src/api/machines/fleetOf.ts';
import { allCells, illBlocks } from '../src/api/machines/layers.ts';
import type { Segment } from '../src/core/columns/segment.ts';
import { Fleet } from '../src/core/machines/fleet.ts';
import { MachineMeasures, measureSegment, type SlotSeries } from '../src/core/machines/measureColumns.ts';
import { measureSource, subjectOf } from '../src/core/machines/measures.ts';
import { minuteValues } from '../src/core/machines/minuteValues.ts';
import { LAYERS, type Layer } from '../src/core/machines/rules.ts';
import { type Column, cellsOf, lowestIll } from '../src/core/machines/strata.ts';
import { takerOf } from '../src/core/machines/takers.ts';
import { worstMinute } from '../src/core/machines/worstMinute.ts';
import type { Attributes, Span } from '../src/core/trace/span.ts';
import { decodeSegment, encodeSegment } from '../src/formats/columns/segmentBytes.ts';
import type { HostProcess } from '../src/formats/events/hostProcess.ts';
import type { OutgoingPoint } from '../src/formats/otlp/record/encodeMetrics.ts';
import type { InstanceBlock } from '../src/store/machines/instanceBlocks.ts';
import { mediansByTurns, report } from './support/measure.ts';

const MINUTE = 60_000;

/** @param rounds random incidents of machines, and half as many quiet stretches */
export async function benchMachines(rounds = 20): Promise<void> {
  if (rounds >= 1) nameTroubles(rounds);
  await layOutMany();
  readThisHost();
}

/** Random troubles of machines: is the right one the lowest ill, by its own measure, and who takes it named? On quiet stretches nothing is. */
function nameTroubles(rounds: number): void {
  const luck = chance(41);
  let [right, wrong] = [0, 0];
  for (let round = 0; round < rounds; round++) {
    const member = HOST_FAMILY[round % HOST_FAMILY.length];
    const draft = member(luck, luck.unit());
    const { machine: truth, cause } = draft;
    const found = lookAt(simulate(luck.between(1, 1e6), draft.unfold));
    if (truth && found?.layer === truth.layer && found.name === truth.name && found.taker === truth.taker) right++;
    else process.stdout.write(`  ${cause}: ${truth?.layer} ${truth?.name} is ill, and named was ${said(found)}\n`);
  }
  const quiet = Math.ceil(rounds / 2);
  for (let round = 0; round < quiet; round++) {
    const found = lookAt(simulate(luck.between(1, 1e6), undefined));
    if (!found) continue;
    wrong++;
    process.stdout.write(`  a quiet stretch: named was ${said(found)}\n`);
  }
  process.stdout.write(
    `of ${rounds} troubles of machines ${right} named with layer, place and who takes it; of ${quiet} quiet stretches ${quiet - wrong} with nothing ill below the services\n`,
  );
}

interface Named {
  readonly layer: Layer;
  readonly name: string;
  readonly rule: string;
  readonly taker: string | undefined;
}

function said(found: Named | undefined): string {
  return found ? `${found.layer} ${found.name}, ${found.rule}, ${found.taker ?? 'nobody takes it'}` : 'nothing';
}

const BEFORE = 60;
const LIT = 40;
const BLOCK = 5;

interface Simulated {
  readonly known: KnownFleet;
  readonly callees: ReadonlyMap<string, ReadonlySet<string>>;
  readonly processes: readonly { readonly at: number; readonly host: string; readonly all: readonly HostProcess[] }[];
}

/** A stretch of the company in which something unfolds, from the 10th of the lit minutes on. */
function simulate(seed: number, unfold: Draft['unfold'] | undefined): Simulated {
  const to = Date.UTC(2026, 4, 2, 8 + (seed % 10));
  const from = to - (BEFORE + LIT) * MINUTE;
  const points: OutgoingPoint[] = [];
  const spans: Span[] = [];
  const processes: { at: number; host: string; all: HostProcess[] }[] = [];
  const run = new Run(
    {
      endMs: to,
      fromMs: from,
      untilMs: to,
      seed,
      incidents: [],
      harmless: unfold ? [{ begins: LIT - 10, ends: 4, unfold }] : [],
    },
    {
      span: (span) => spans.push(span),
      log: ({ event, attributes, time }) => {
        if (event === 'lantern.host.processes')
          processes.push({
            at: Number(time / 1_000_000n),
            host: String(attributes['host.name']),
            all: attributes['lantern.processes'] as unknown as HostProcess[],
          });
      },
      point: (point) => points.push(point),
      profile: () => {},
    },
  );
  run.advance(to);
  const columns = Object.entries(SERVICES).flatMap(([service, { machines }]) =>
    machines.map((vm, at): Column => {
      const instance = `${service}-${at + 1}`;
      return { service, instance, container: instance, vm: MACHINES[vm].host === vm ? '' : vm, host: MACHINES[vm].host };
    }),
  );
  const split = from + BEFORE * MINUTE;
  const blocks = blocksOf(spans);
  const [first, end] = [Math.floor(split / MINUTE / BLOCK), Math.floor(to / MINUTE / BLOCK)];
  const within = (instance: string, isLit: boolean) =>
    new Map([...(blocks.get(instance) ?? [])].filter(([block]) => block < end && block >= first === isLit));
  return {
    known: {
      fleet: new Fleet(measuresOf(points, split, LIT), measuresOf(points, from, BEFORE), new Map()),
      columns,
      calls: columns.map(({ instance }) => {
        const before = within(instance, false);
        return { lit: within(instance, true), before, usual: usualP95(before) };
      }),
      machines: new Map(),
      blockMinutes: BLOCK,
      minutes: LIT,
      firstMinute: split / MINUTE,
    },
    callees: calleesOf(spans),
    processes,
  };
}

/** What each instance handled, by blocks of minutes. */
function blocksOf(spans: readonly Span[]): Map<string, Map<number, InstanceBlock>> {
  const served = group(
    spans.filter(({ kind }) => kind === 'server'),
    ({ resource }) => String(resource['service.instance.id']),
    ({ end }) => Math.floor(Number(end / 1_000_000n) / MINUTE / BLOCK),
  );
  return new Map(
    [...served].map(([instance, blocks]) => [
      instance,
      new Map(
        [...blocks].map(([block, own]) => {
          const ok = own.filter(({ status }) => status !== 'error').map(({ start, end }) => Number(end - start));
          const all = own.map(({ start, end }) => Number(end - start));
          return [block, { calls: own.length, ok: ok.length, okNs: sum(ok), p95Ns: quantile(all, 0.95)! }];
        }),
      ),
    ]),
  );
}

function calleesOf(spans: readonly Span[]): Map<string, Set<string>> {
  const serviceOf = new Map(spans.map(({ spanId, service }) => [spanId as string, service]));
  const callees = new Map<string, Set<string>>();
  for (const { service, parentSpanId } of spans) {
    const caller = serviceOf.get(parentSpanId ?? '');
    if (caller !== undefined && caller !== service) callees.set(caller, (callees.get(caller) ?? new Set()).add(service));
  }
  return callees;
}

/** What the page Layers names at the minute that it shows by itself. */
function lookAt({ known, callees, processes }: Simulated): Named | undefined {
  const minute = worstMinute(illBlocks(known), known.minutes);
  const lowest = lowestIll(allCells(known, minute), known.columns, callees);
  if (!lowest) return undefined;
  const { layer, name, readings } = lowest.cell;
  const at = (known.firstMinute + minute) * MINUTE;
  const now = meansOf(processes.filter((it) => it.host === name && Math.abs(it.at - at) <= 5 * MINUTE));
  const then = meansOf(processes.filter((it) => it.host === name && it.at < known.firstMinute * MINUTE));
  const compared = [...now].map(([key, lit]) => ({ lit, before: then.get(key) }));
  const taker = layer === 'process' || layer === 'container' ? undefined : takerOf(compared, readings[0].rule);
  return { layer, name, rule: readings[0].rule, taker: taker?.process.name };
}

/** Means over all looks, as the store gives them. */
function meansOf(looks: Simulated['processes']): Map<string, HostProcess> {
  const kinds = group(
    looks.flatMap(({ all }) => all),
    ({ name, container, job }) => `${name} ${container} ${job}`,
  );
  const mean = (own: readonly HostProcess[], of: 'cores' | 'reads' | 'writes') => sum(own.map((it) => it[of])) / looks.length;
  return new Map(
    [...kinds].map(([key, own]) => [
      key,
      {
        ...own[0],
        cores: mean(own, 'cores'),
        reads: mean(own, 'reads'),
        writes: mean(own, 'writes'),
        memory: Math.max(...own.map(({ memory }) => memory)),
      },
    ]),
  );
}

function measuresOf(points: readonly OutgoingPoint[], from: number, minutes: number): MachineMeasures {
  const series = new Map<string, { point: OutgoingPoint; times: number[]; values: number[]; starts: number[] }>();
  for (const point of points) {
    if (point.value.kind === 'histogram' || !measureSource(point.name, point.attributes)) continue;
    const key = JSON.stringify([point.name, point.resource, point.attributes]);
    const it = series.get(key) ?? { point, times: [], values: [], starts: [] };
    series.set(key, it);
    it.times.push(Number(point.time / 1_000_000n));
    it.starts.push(Number(point.start / 1_000_000n));
    it.values.push(point.value.number);
  }
  const all = [...series.values()].flatMap(({ point, times, values, starts }): SlotSeries[] => {
    const source = measureSource(point.name, point.attributes)!;
    const subject = subjectOf(source.kind, String(point.resource['service.name']), point.resource as Attributes);
    const type = point.value.kind === 'gauge' ? 'gauge' : 'sum';
    return subject
      ? [{ subject, source, part: '', values: minuteValues({ type, temporality: 1, times, values, starts }, from, minutes) }]
      : [];
  });
  const measures = new MachineMeasures(0, minutes);
  measures.add(measureSegment(all, minutes), 0);
  return measures;
}

const COMPRESSION = {
  deflate: (bytes: Uint8Array) => deflateRawSync(bytes, { level: 4 }),
  inflate: (bytes: Uint8Array) => inflateRawSync(bytes),
};
const MANY_HOSTS = 500;
const PODS_EACH = 10;
const SLOTS = 6;

/** An hour against an hour of 500 hosts with 5 000 pods, from deflated columns to the lowest ill cell. */
async function layOutMany(): Promise<void> {
  const luck = chance(7);
  const columns: Column[] = [];
  for (let host = 0; host < MANY_HOSTS; host++)
    for (let pod = 0; pod < PODS_EACH; pod++)
      columns.push({
        service: `service-${(host * PODS_EACH + pod) % 120}`,
        instance: `pod-${host}-${pod}`,
        container: `pod-${host}-${pod}`,
        vm: '',
        host: `host-${host}`,
      });
  const slots = (isLit: boolean) =>
    Array.from({ length: SLOTS }, () => encodeSegment(measureSegment(seriesOf(columns, luck, isLit), 10), COMPRESSION));
  const [lit, before] = [slots(true), slots(false)];
  const bytes = lit.reduce((sum, { length }) => sum + length, 0);
  process.stdout.write(
    `an hour of ${MANY_HOSTS} hosts and ${columns.length} pods: ${(bytes / 2 ** 20).toFixed(1)} MiB as columns\n`,
  );
  const numbers = new Float64Array(20_000_000);
  const sum = () => {
    let total = 0;
    for (let at = 0; at < numbers.length; at++) total += numbers[at];
    if (total !== 0) throw new Error('numbers are none');
  };
  const decoded = [lit, before].map((all) => all.map((it) => decodeSegment(it, COMPRESSION) as Segment));
  const layers = ([now, then]: readonly Segment[][]) => {
    const [a, b] = [new MachineMeasures(0, SLOTS * 10), new MachineMeasures(0, SLOTS * 10)];
    for (const [at, it] of now.entries()) a.add(it, at * 10);
    for (const [at, it] of then.entries()) b.add(it, at * 10);
    const fleet = new Fleet(a, b, new Map());
    const cells = LAYERS.filter((layer) => layer !== 'service').flatMap((layer) =>
      cellsOf(layer, columns, (name, column) => fleet.readings(layer, name, column, 30)),
    );
    if (lowestIll(cells, columns, new Map())?.cell.name !== 'host-77') throw new Error('the busy host was not named');
  };
  const [cold, warm, reference] = await mediansByTurns(3, [
    () => layers([lit, before].map((all) => all.map((it) => decodeSegment(it, COMPRESSION) as Segment))),
    () => layers(decoded),
    sum,
  ]);
  report('layers of all, from deflated columns', cold, '20 M additions', reference);
  report('layers of all, from columns in memory', warm, '20 M additions', reference);
}

function seriesOf(columns: readonly Column[], luck: ReturnType<typeof chance>, isLit: boolean): SlotSeries[] {
  const around = (value: number) => Array.from({ length: 10 }, () => value * (0.9 + 0.2 * luck.unit()));
  const hosts = new Set(columns.map(({ host }) => host));
  const of = (name: string, attributes: Attributes, resource: Attributes, value: number): SlotSeries => {
    const source = measureSource(name, attributes)!;
    return { subject: subjectOf(source.kind, 'agent', resource)!, source, part: '', values: around(value) };
  };
  return [
    ...[...hosts].flatMap((host) => {
      const isBusy = isLit && host === 'host-77';
      const resource = { 'host.name': host };
      return [
        of('system.cpu.utilization', { 'cpu.mode': 'user' }, resource, isBusy ? 1.2 : 0.4),
        of(
          'system.pressure',
          { 'system.pressure.resource': 'cpu', 'system.pressure.kind': 'some' },
          resource,
          isBusy ? 0.6 : 0.02,
        ),
        of('system.memory.utilization', {}, resource, 0.6),
        of('system.disk.operations', {}, resource, 300),
        of('system.disk.operation_time', {}, resource, 0.3),
        of('system.filesystem.utilization', {}, resource, 0.5),
        of('system.network.segments', { 'network.segment.state': 'sent' }, resource, 900),
        of('system.network.segments', { 'network.segment.state': 'retransmitted' }, resource, 1),
      ];
    }),
    ...columns.flatMap(({ instance, host, service }) => {
      const resource = {
        'service.instance.id': instance,
        'container.name': instance,
        'host.name': host,
        'service.name': service,
      };
      const wait = isLit && host === 'host-77' ? 0.4 : 0.004;
      return [
        of('k8s.pod.cpu.usage', {}, resource, 0.2),
        of('k8s.pod.memory.usage', {}, resource, 3e8),
        of('k8s.container.restart.count', {}, resource, 0),
        of('container.cpu.throttled.time', {}, resource, 0),
        of('process.cpu.time', {}, resource, 0.2),
        of('process.cpu.wait_time', {}, resource, wait),
      ];
    }),
  ];
}

const EVERY_S = 15;
const TURNS = 40;

/** What the collector's readings take of this machine. */
function readThisHost(): void {
  const roots = { proc: '/proc', sys: '/sys', etc: '/etc' };
  const watch = new ProcessWatch(roots);
  const spent = (work: () => unknown) => {
    const before = process.cpuUsage();
    for (let turn = 0; turn < TURNS; turn++) work();
    const { user, system } = process.cpuUsage(before);
    return (user + system) / 1e6 / TURNS;
  };
  const round = spent(() => [machineReadings(roots), groupsOf(roots)]);
  let at = 0;
  const look = spent(() => watch.look(++at * 60_000));
  const share = round / EVERY_S + look / 60;
  process.stdout.write(
    `a reading takes ${(1e3 * round).toFixed(2)} ms, a look at ${watch.present.size} processes ${(1e3 * look).toFixed(1)} ms: ${(100 * share).toFixed(3)} % of a core\n`,
  );
}
