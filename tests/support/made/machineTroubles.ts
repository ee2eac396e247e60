import { group, quantile, sum } from 'd3-array';
import { MACHINES, SERVICES } from '../../../demo/company/services.ts';
import type { Draft } from '../../../demo/incidents/drafts.ts';
import { Run } from '../../../demo/run.ts';
import { type KnownFleet, usualP95 } from '../../../src/api/machines/fleetOf.ts';
import { allCells, illBlocks } from '../../../src/api/machines/layers.ts';
import { Fleet } from '../../../src/core/machines/fleet.ts';
import { MachineMeasures, measureSegment, type SlotSeries } from '../../../src/core/machines/measureColumns.ts';
import { measureSource, subjectOf } from '../../../src/core/machines/measures.ts';
import { minuteValues } from '../../../src/core/machines/minuteValues.ts';
import type { Layer } from '../../../src/core/machines/rules.ts';
import { type Column, lowestIll } from '../../../src/core/machines/strata.ts';
import { takerOf } from '../../../src/core/machines/takers.ts';
import { worstMinute } from '../../../src/core/machines/worstMinute.ts';
import type { Attributes, Span } from '../../../src/core/trace/span.ts';
import type { HostProcess } from '../../../src/formats/events/hostProcess.ts';
import type { OutgoingPoint } from '../../../src/formats/otlp/record/encodeMetrics.ts';
import type { InstanceBlock } from '../../../src/store/machines/instanceBlocks.ts';

/** What is named as the lowest ill. */
export interface Named {
  readonly layer: Layer;
  readonly name: string;
  readonly rule: string;
  readonly taker: string | undefined;
}

export function said(found: Named | undefined): string {
  return found ? `${found.layer} ${found.name}, ${found.rule}, ${found.taker ?? 'nobody takes it'}` : 'nothing';
}

const MINUTE = 60_000;
const BLOCK = 5;

/** How much is simulated. */
export interface Stretch {
  /** Minutes of the reference and of the lit window; whole blocks of five. */
  readonly before: number;
  readonly lit: number;
  /** So many times the traffic of the demo. */
  readonly scale?: number;
}

export interface Simulated {
  readonly known: KnownFleet;
  readonly callees: ReadonlyMap<string, ReadonlySet<string>>;
  readonly processes: readonly { readonly at: number; readonly host: string; readonly all: readonly HostProcess[] }[];
}

/** A stretch of the company in which something unfolds, from the 10th of the lit minutes to four before their end. */
export function simulate(seed: number, unfold: Draft['unfold'] | undefined, { before, lit, scale = 1 }: Stretch): Simulated {
  const to = Date.UTC(2026, 4, 2, 8 + (seed % 10));
  const from = to - (before + lit) * MINUTE;
  const points: OutgoingPoint[] = [];
  const spans: Span[] = [];
  const processes: { at: number; host: string; all: HostProcess[] }[] = [];
  const run = new Run(
    {
      endMs: to,
      fromMs: from,
      untilMs: to,
      seed,
      scale,
      incidents: [],
      harmless: unfold ? [{ begins: lit - 10, ends: 4, unfold }] : [],
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
  const split = from + before * MINUTE;
  const blocks = blocksOf(spans);
  const [first, end] = [Math.floor(split / MINUTE / BLOCK), Math.floor(to / MINUTE / BLOCK)];
  const within = (instance: string, isLit: boolean) =>
    new Map([...(blocks.get(instance) ?? [])].filter(([block]) => block < end && block >= first === isLit));
  return {
    known: {
      fleet: new Fleet(measuresOf(points, split, lit), measuresOf(points, from, before), new Map()),
      columns,
      calls: columns.map(({ instance }) => {
        const former = within(instance, false);
        return { lit: within(instance, true), before: former, usual: usualP95(former) };
      }),
      machines: new Map(),
      blockMinutes: BLOCK,
      minutes: lit,
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
export function lookAt({ known, callees, processes }: Simulated): Named | undefined {
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
