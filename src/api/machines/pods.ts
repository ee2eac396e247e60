import { group } from 'd3-array';
import { z } from 'zod';
import { podEvents } from '../../core/machines/pods/podEvents.ts';
import { livesOf, PATTERNS, type PodEvent, patternsOf } from '../../core/machines/pods/podPatterns.ts';
import { idByUid } from '../../core/machines/pods/podUids.ts';
import { medianBetween, usualRange } from '../../core/machines/usualRange.ts';
import { type InventoryObject, objectEvents, objectKinds, objectsAt } from '../../store/machines/objects.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { boundedMeasures } from './boundedMeasures.ts';

export type MachinePods = z.output<typeof machinePods.answer>;

/** Pods that are listed, the worst first; what is beyond is counted. */
const MOST_PODS = 300;
const MOST_LIVES = 60;
const OF_PODS = ['cores', 'memory', 'restarts', 'throttled'] as const;
/** Minutes at the end of the window whose median is "now". */
const LATELY = 5;

const vessel = z
  .object({
    now: z.number().nullable(),
    most: z.number().nullable().meta({ description: 'Within the window.' }),
    usual: z.number().nullable().meta({ description: 'The median of the reference.' }),
    request: z.number().nullable(),
    limit: z.number().nullable(),
  })
  .meta({ description: 'Cores or bytes.' });

const podAnswer = z.object({
  id: z.string(),
  name: z.string(),
  kin: z.string().meta({ description: 'What it is one of.' }),
  service: z.string(),
  standsOn: z.string(),
  host: z.string(),
  labels: z.record(z.string(), z.string()),
  image: z.string(),
  ready: z.boolean(),
  phase: z.string(),
  reason: z.string(),
  restarts: z.number().meta({ description: 'Within the window.' }),
  killed: z.number(),
  lives: z.array(z.object({ from: z.number(), to: z.number(), end: z.enum(['killed', 'ended', 'running']) })),
  cpu: vessel,
  memory: vessel,
  throttled: z.number(),
  patterns: z.array(z.enum(PATTERNS)),
});

export const machinePods = endpoint({
  path: '/api/machines/pods',
  least: 'reader',
  summary:
    'Pods at the end of the lit window: status, restarts, lives, CPU and memory against what they request and may have, and the patterns of trouble that they show; the worst first.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    pattern: z.enum(PATTERNS).optional(),
    label: z.string().max(700).default('').meta({ description: 'Only those with a label, as name=value; several by commas.' }),
    machine: z.string().max(300).default('').meta({ description: 'Only those on this machine or host.' }),
    find: z.string().max(200).default(''),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    total: z.int(),
    patterns: z.array(z.object({ pattern: z.enum(PATTERNS), pods: z.int(), names: z.array(z.string()) })),
    labels: z
      .array(z.object({ name: z.string(), values: z.array(z.string()) }))
      .meta({ description: 'All labels, by which pods can be narrowed and grouped.' }),
    kinds: z.array(z.object({ kind: z.string(), objects: z.int() })),
    found: z.int(),
    pods: z.array(podAnswer),
  }),
  run: async ({ pattern, label, machine, find, ...query }) => {
    const windows = await windowsOf(query);
    const { lit, before } = windows;
    const [objects, events, now, then, kinds] = await Promise.all([
      objectsAt(lit.to, ['pod', 'vm']),
      objectEvents(lit.from, lit.to, { kind: 'pod' }),
      boundedMeasures(lit.from, lit.to, OF_PODS),
      boundedMeasures(before.from, before.to, OF_PODS),
      objectKinds(lit.to),
    ]);
    const hosts = new Map(objects.filter(({ kind }) => kind === 'vm').map((it) => [it.name, it.standsOn || it.partOf]));
    const eventsOf = group(events, ({ objectId }) => objectId);
    const pods = objects.filter(({ kind }) => kind === 'pod');
    const kinUp = new Map<string, number>();
    for (const it of pods) if (it.detail.ready === true) kinUp.set(kinOf(it), (kinUp.get(kinOf(it)) ?? 0) + 1);
    const [fromMs, toMs] = [Number(lit.from / 1_000_000n), Number(lit.to / 1_000_000n)];
    const described = pods.map((it): z.input<typeof podAnswer> => {
      const own: PodEvent[] = podEvents([it.id, ...idByUid(it.detail)].flatMap((id) => eventsOf.get(id) ?? []));
      const series = (measure: 'cores' | 'memory' | 'restarts' | 'throttled') => now.series('container', it.name, measure);
      const restarts = grown(series('restarts')) ?? own.filter(({ reason }) => reason === 'OOMKilled').length;
      const ready = it.detail.ready === true;
      const throttled = medianBetween(series('throttled'), 0, now.minutes);
      const filled = (measure: 'cores' | 'memory', request: string, limit: string) => {
        const values = series(measure);
        return {
          now: orNull(medianBetween(values, now.minutes - LATELY, now.minutes)),
          most: values ? orNull(values.reduce((most, value) => (value > most ? value : most), Number.NEGATIVE_INFINITY)) : null,
          usual: usualRange(then.series('container', it.name, measure) ?? [], 0)?.median ?? null,
          request: positive(it.detail[request]),
          limit: positive(it.detail[limit]),
        };
      };
      const state = {
        name: it.name,
        kin: kinOf(it),
        ready,
        phase: String(it.detail.phase ?? ''),
        reason: String(it.detail.reason ?? ''),
        restarts,
        events: own,
        throttled: Number.isNaN(throttled) ? 0 : throttled,
      };
      const { events: _, ...shown } = state;
      return {
        ...shown,
        id: it.id,
        service: it.labels.app ?? '',
        standsOn: it.standsOn,
        host: hosts.get(it.standsOn) ?? it.standsOn,
        labels: it.labels,
        image: String(it.detail.image ?? ''),
        killed: own.filter(({ reason }) => reason === 'OOMKilled').reduce((sum, { count }) => sum + count, 0),
        lives: livesOf(own, fromMs, toMs, ready).slice(-MOST_LIVES),
        cpu: filled('cores', 'cpu.request', 'cpu.limit'),
        memory: filled('memory', 'memory.request', 'memory.limit'),
        patterns: patternsOf(state, (kinUp.get(state.kin) ?? 0) - (ready ? 1 : 0) > 0),
      };
    });
    const wanted = described.filter(
      (it) =>
        (pattern === undefined || it.patterns.includes(pattern)) &&
        (machine === '' || it.standsOn === machine || it.host === machine) &&
        (find === '' || [it.name, it.kin, it.image].some((text) => text.toLowerCase().includes(find.toLowerCase()))) &&
        labelsOf(label).every(([name, value]) => it.labels[name] === value),
    );
    return {
      litWindow: describeWindow(lit),
      total: described.length,
      patterns: PATTERNS.map((name) => {
        const own = described.filter(({ patterns }) => patterns.includes(name));
        return { pattern: name, pods: own.length, names: own.slice(0, 3).map((it) => it.name) };
      }),
      labels: allLabels(pods),
      kinds,
      found: wanted.length,
      pods: wanted.sort(worstFirst).slice(0, MOST_PODS),
    };
  },
});

function kinOf({ partOf, name }: InventoryObject): string {
  return partOf || name;
}

function labelsOf(text: string): [name: string, value: string][] {
  return text
    .split(',')
    .filter((it) => it.includes('='))
    .map((it) => [it.slice(0, it.indexOf('=')), it.slice(it.indexOf('=') + 1)]);
}

const MOST_LABELS = 30;
const MOST_VALUES = 50;

function allLabels(pods: readonly InventoryObject[]): { name: string; values: string[] }[] {
  const found = new Map<string, Set<string>>();
  for (const { labels } of pods)
    for (const [name, value] of Object.entries(labels)) found.set(name, (found.get(name) ?? new Set<string>()).add(value));
  return [...found].slice(0, MOST_LABELS).map(([name, values]) => ({ name, values: [...values].sort().slice(0, MOST_VALUES) }));
}

/** How much a count grew over the window, summed over its rises; undefined without any value. */
function grown(counts: Float64Array | undefined): number | undefined {
  let sum: number | undefined;
  let last = Number.NaN;
  for (const value of counts ?? []) {
    if (Number.isNaN(value)) continue;
    sum = (sum ?? 0) + (value > last ? value - last : 0);
    last = value;
  }
  return sum;
}

function worstFirst(a: z.input<typeof podAnswer>, b: z.input<typeof podAnswer>): number {
  return (
    b.killed - a.killed ||
    Number(a.ready) - Number(b.ready) ||
    b.patterns.length - a.patterns.length ||
    b.restarts - a.restarts ||
    fill(b) - fill(a) ||
    (a.name < b.name ? -1 : 1)
  );
}

function fill({ memory, cpu }: z.input<typeof podAnswer>): number {
  const part = ({ now, limit }: { now: number | null; limit: number | null }) => (now !== null && limit ? now / limit : 0);
  return Math.max(part(memory), part(cpu));
}

const orNull = (value: number) => (Number.isFinite(value) ? value : null);
const positive = (value: unknown) => (Number(value) > 0 ? Number(value) : null);
