import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { groupsOf } from '../collectors/host/containers.ts';
import { machineReadings } from '../collectors/host/machine.ts';
import { ProcessWatch } from '../collectors/host/processes.ts';
import { HOST_FAMILY } from '../demo/incidents/hostFamily.ts';
import { chance } from '../demo/simulation/chance.ts';
import type { Calls } from '../src/api/machines/fleetOf.ts';
import { allCells, illBlocks } from '../src/api/machines/layers.ts';
import type { Segment } from '../src/core/columns/segment.ts';
import { Fleet } from '../src/core/machines/fleet.ts';
import { MachineMeasures, measureSegment, type SlotSeries } from '../src/core/machines/measureColumns.ts';
import { measureSource, subjectOf } from '../src/core/machines/measures.ts';
import { type Column, lowestIll } from '../src/core/machines/strata.ts';
import { worstMinute } from '../src/core/machines/worstMinute.ts';
import type { Attributes } from '../src/core/trace/span.ts';
import { decodeSegment, encodeSegment } from '../src/formats/columns/segmentBytes.ts';
import { lookAt, said, simulate } from '../tests/support/made/machineTroubles.ts';
import { mediansByTurns, report } from './support/measure.ts';

const STRETCH = { before: 60, lit: 40 };

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
    const found = lookAt(simulate(luck.between(1, 1e6), draft.unfold, STRETCH));
    if (truth && found?.layer === truth.layer && found.name === truth.name && found.taker === truth.taker) right++;
    else process.stdout.write(`  ${cause}: ${truth?.layer} ${truth?.name} is ill, and named was ${said(found)}\n`);
  }
  const quiet = Math.ceil(rounds / 2);
  for (let round = 0; round < quiet; round++) {
    const found = lookAt(simulate(luck.between(1, 1e6), undefined, STRETCH));
    if (!found) continue;
    wrong++;
    process.stdout.write(`  a quiet stretch: named was ${said(found)}\n`);
  }
  process.stdout.write(
    `of ${rounds} troubles of machines ${right} named with layer, place and who takes it; of ${quiet} quiet stretches ${quiet - wrong} with nothing ill below the services\n`,
  );
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
  const calls = columns.map((): Calls => ({ lit: new Map(), before: new Map(), usual: undefined }));
  const decoded = [lit, before].map((all) => all.map((it) => decodeSegment(it, COMPRESSION) as Segment));
  const layers = ([now, then]: readonly Segment[][]) => {
    const [a, b] = [new MachineMeasures(0, SLOTS * 10), new MachineMeasures(0, SLOTS * 10)];
    for (const [at, it] of now.entries()) a.add(it, at * 10);
    for (const [at, it] of then.entries()) b.add(it, at * 10);
    const fleet = new Fleet(a, b, new Map());
    const known = { fleet, columns, calls, machines: new Map(), blockMinutes: 5, minutes: SLOTS * 10, firstMinute: 0 };
    const cells = allCells(known, worstMinute(illBlocks(known), known.minutes));
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
