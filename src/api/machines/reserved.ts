import { z } from 'zod';
import { ENOUGH_MINUTES, freed, p99Of, proposal } from '../../core/machines/reserve.ts';
import { type InventoryObject, objectsAt } from '../../store/machines/objects.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { boundedMeasures } from './boundedMeasures.ts';

export type MachineReserved = z.output<typeof machineReserved.answer>;

const MOST_PODS = 2_000;
const DAY_NS = 86_400_000_000_000n;

const amount = z.object({
  request: z.number().nullable(),
  limit: z.number().nullable(),
  p99: z.number().nullable().meta({ description: 'Of its minutes; null with fewer than an hour of them.' }),
  proposal: z.number().nullable().meta({ description: 'p99 and a fifth more.' }),
  freed: z.number().nullable().meta({ description: 'What the proposal frees; negative when it takes more.' }),
});

const podAnswer = z.object({
  id: z.string(),
  name: z.string(),
  service: z.string(),
  machine: z.string(),
  host: z.string(),
  minutes: z.int(),
  cpu: amount,
  memory: amount,
});

export const machineReserved = endpoint({
  path: '/api/machines/reserved',
  least: 'reader',
  summary:
    'What pods reserve against what they use over the last day before the end of the lit window, machine by machine, with a proposal.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    window: windowAnswer,
    enoughMinutes: z.int(),
    machines: z.array(
      z.object({
        name: z.string(),
        host: z.string(),
        cores: z.number(),
        memory: z.number(),
        reservedCores: z.number(),
        reservedMemory: z.number(),
        usedCores: z.number().meta({ description: 'The sum of the p99 of its pods.' }),
        usedMemory: z.number(),
      }),
    ),
    total: z.int(),
    pods: z.array(podAnswer),
  }),
  run: async (query) => {
    const { lit } = await windowsOf(query);
    // A day has all hours: shorter windows would propose what is too little at others.
    const window = { ...lit, from: lit.to - lit.from < DAY_NS && lit.to > DAY_NS ? lit.to - DAY_NS : lit.from };
    const [objects, measures] = await Promise.all([
      objectsAt(lit.to, ['pod', 'vm', 'host']),
      boundedMeasures(window.from, window.to, ['cores', 'memory']),
    ]);
    const machines = new Map(objects.filter(({ kind }) => kind !== 'pod').map((it) => [it.name, it]));
    const pods = objects
      .filter(({ kind }) => kind === 'pod')
      .map((it) => describePod(it, machines, (measure) => measures.series('container', it.name, measure)));
    const own = new Map<string, z.output<typeof podAnswer>[]>();
    for (const pod of pods) own.set(pod.machine, [...(own.get(pod.machine) ?? []), pod]);
    const total = (all: readonly z.output<typeof podAnswer>[], of: 'cpu' | 'memory', what: 'request' | 'p99') =>
      all.reduce((sum, it) => sum + (it[of][what] ?? 0), 0);
    return {
      window: describeWindow(window),
      enoughMinutes: ENOUGH_MINUTES,
      machines: [...own].map(([name, all]) => {
        const machine = machines.get(name);
        return {
          name,
          host: all[0].host,
          cores: Number(machine?.detail.cores) || 0,
          memory: Number(machine?.detail.memory) || 0,
          reservedCores: total(all, 'cpu', 'request'),
          reservedMemory: total(all, 'memory', 'request'),
          usedCores: total(all, 'cpu', 'p99'),
          usedMemory: total(all, 'memory', 'p99'),
        };
      }),
      total: pods.length,
      pods: pods.sort((a, b) => (b.cpu.freed ?? 0) - (a.cpu.freed ?? 0) || (a.name < b.name ? -1 : 1)).slice(0, MOST_PODS),
    };
  },
});

function describePod(
  { id, name, labels, standsOn, detail }: InventoryObject,
  machines: ReadonlyMap<string, InventoryObject>,
  series: (measure: 'cores' | 'memory') => Float64Array | undefined,
): z.output<typeof podAnswer> {
  const machine = machines.get(standsOn);
  const known = Array.from(series('cores') ?? []).filter((value) => !Number.isNaN(value)).length;
  return {
    id,
    name,
    service: labels.app ?? '',
    machine: standsOn,
    host: machine?.standsOn || machine?.partOf || standsOn,
    minutes: known,
    cpu: amountOf(detail['cpu.request'], detail['cpu.limit'], series('cores'), 'cores'),
    memory: amountOf(detail['memory.request'], detail['memory.limit'], series('memory'), 'bytes'),
  };
}

function amountOf(
  request: unknown,
  limit: unknown,
  values: Float64Array | undefined,
  unit: 'cores' | 'bytes',
): z.output<typeof amount> {
  const reserved = Number(request) > 0 ? Number(request) : undefined;
  const p99 = p99Of(values ?? []);
  return {
    request: reserved ?? null,
    limit: Number(limit) > 0 ? Number(limit) : null,
    p99: p99 ?? null,
    proposal: proposal(p99, unit) ?? null,
    freed: freed({ request: reserved, p99 }, unit) ?? null,
  };
}
