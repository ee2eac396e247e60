import { z } from 'zod';
import { compare } from '../../core/journeys/compare.ts';
import {
  type FailingRequests,
  type FailureStart,
  failureOrigins,
  failureStart,
  type Origin,
  type SlowerEntry,
  type SlownessOrigin,
  slowMachine,
  slownessOrigins,
} from '../../core/topology/starts.ts';
import { addTimeWithin, type PartyTime } from '../../core/topology/timeWithin.ts';
import type { Trace } from '../../core/trace/assemble.ts';
import { TIME_KINDS } from '../../core/trace/timeKind.ts';
import { operationsOf } from '../../store/dictionaries/dictionaries.ts';
import { machinesOfHosts } from '../../store/measures/inventory.ts';
import { entryFigures } from '../../store/rollups/entryFigures.ts';
import { peerServices } from '../../store/rollups/traffic.ts';
import { tracesByEntry } from '../../store/scope/scopeTraces.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { failureWords } from '../now/reasons.ts';
import { recently } from '../recently.ts';
import { assembled } from './graphs.ts';

export type Starts = z.output<typeof answer>;

/** Traces that are taken of each entry, of either side; and entries that are looked at, those that most come by. */
const EACH = 40;
/** Of entries that got slower more are read: what makes them slow may be one kind of request in seven. */
const SLOWER_EACH = 100;
const ENTRIES = 24;
const FAILED_EACH = 30;
/** What was found is good for so long; spans of a window that has just ended may still come. */
const KEPT_MS = 600_000;
const FRESH_MS = 20_000;
const STILL_COMING_MS = 300_000;
const PRODUCER = 4;
const CONSUMER = 5;

const origin = {
  node: z.string(),
  party: z.string(),
  share: z.number(),
  amount: z.number(),
  starts: z.boolean(),
  traces: z.array(z.string()),
  through: z.array(z.string()),
};
const timeLine = z.object({ kind: z.enum([...TIME_KINDS, 'below']), party: z.string(), ns: z.number() });
export const time = z.object({ meanNs: z.number(), requests: z.int(), lines: z.array(timeLine) });
const serviceTime = z.object({ service: z.string(), lit: time.nullable(), before: time.nullable() });

const answer = z.object({
  failures: z.object({
    requests: z.int(),
    failing: z.int(),
    sampled: z.int(),
    origins: z.array(z.object({ ...origin, what: z.string().meta({ description: 'What the span says where it starts.' }) })),
  }),
  slowness: z.object({
    entries: z.array(z.string()).meta({ description: 'Entries that got slower, the most extra waiting first.' }),
    extraNs: z.number().meta({ description: 'Waited longer by all requests of them together.' }),
    sampled: z.int(),
    machine: z
      .object({ name: z.string(), share: z.number(), nodes: z.array(z.string()) })
      .nullable()
      .meta({ description: 'What the places that got slower have in common: all of it is on this machine.' }),
    origins: z.array(
      z.object({
        ...origin,
        kinds: z.array(z.object({ kind: z.enum(TIME_KINDS), extraNs: z.number() })),
        only: z.array(z.object({ what: z.enum(['host', 'instance', 'version']), name: z.string(), share: z.number() })),
      }),
    ),
  }),
  time: z.array(serviceTime),
});

export const starts = endpoint({
  path: '/api/map/starts',
  summary: 'Where failures and waiting start, and who only passes them on, from a fair sample of the traces of each entry.',
  query: z.strictObject({ ...comparisonParameters, clientErrors: z.enum(['shown', 'hidden']).default('shown') }),
  answer,
  run: async ({ clientErrors, ...query }) => {
    const windows = await windowsOf(query);
    const isOver = Number(windows.lit.to / 1_000_000n) < Date.now() - STILL_COMING_MS;
    const key = JSON.stringify([clientErrors, windows], (_, value) => (typeof value === 'bigint' ? String(value) : value));
    return recently(`starts ${key}`, isOver ? KEPT_MS : FRESH_MS, () => lookForStarts(windows, clientErrors));
  },
});

interface Windows {
  readonly lit: Window;
  readonly before: Window;
}

async function lookForStarts(windows: Windows, clientErrors: 'shown' | 'hidden'): Promise<z.input<typeof answer>> {
  const [lit, before, failed, failedBefore, litFigures, beforeFigures, peers, machines] = await Promise.all([
    samples(windows.lit, EACH),
    samples(windows.before, EACH),
    tracesByEntry(windows.lit, 'failed', FAILED_EACH, ENTRIES),
    tracesByEntry(windows.before, 'failed', FAILED_EACH, ENTRIES),
    entryFigures(windows.lit),
    entryFigures(windows.before),
    peerServices(),
    machinesOfHosts(windows.lit.to),
  ]);
  const operation = await operationsOf([...litFigures.keys()]);
  const isRequest = (id: number) => operation(id).kind !== PRODUCER && operation(id).kind !== CONSUMER;

  const failing = await failingRequests(failed, litFigures, clientErrors === 'hidden');
  const failingBefore = await failingRequests(failedBefore, beforeFigures, clientErrors === 'hidden');
  const words = new Map<string, string>(failing.starts.map((it) => [it.traceId, it.words]));

  const slower = [...litFigures]
    .filter(([id]) => isRequest(id))
    .flatMap(([id, calls]) => {
      const then = beforeFigures.get(id);
      if (!then) return [];
      // Failures are looked at by themselves.
      const { state } = compare({ ...calls, failures: 0 }, { ...then, failures: 0 });
      const mean = (it: typeof calls) => (it.okNs + it.failedNs) / it.calls;
      const extraNs = calls.calls * (mean(calls) - mean(then));
      return state === 'strained' && extraNs > 0 ? [{ id, calls: calls.calls, extraNs }] : [];
    })
    .sort((a, b) => b.extraNs - a.extraNs);
  const slowerIds = slower.map(({ id }) => id);
  const [slowerLit, slowerBefore] = await Promise.all([
    samples(windows.lit, SLOWER_EACH, slowerIds),
    samples(windows.before, SLOWER_EACH, slowerIds),
  ]);
  const entries = slower.map(
    ({ id, calls }): SlowerEntry => ({
      litRequests: calls,
      lit: slowerLit.get(id)?.traces ?? [],
      before: slowerBefore.get(id)?.traces ?? [],
    }),
  );
  const slowness = slownessOrigins(entries);
  const machine = slowMachine(slowness, (host) => machines.get(host) ?? host);
  const named = <T extends Origin>(it: T): T => ({ ...it, node: peers.get(it.node) ?? it.node });
  return {
    failures: {
      requests: failing.requests,
      failing: failing.failing,
      sampled: failing.starts.length,
      origins: failureOrigins(failing, failingBefore).map((it) => ({
        ...named(it),
        traces: [...it.traces],
        through: [...it.through],
        what: words.get(it.traces[0]) ?? '',
      })),
    },
    slowness: {
      entries: slower.map(({ id }) => operation(id).name),
      extraNs: slower.reduce((sum, it) => sum + it.extraNs, 0),
      sampled: entries.reduce((sum, it) => sum + it.lit.length, 0),
      machine: machine ? { ...machine, nodes: [...machine.nodes] } : null,
      origins: slowness.map(named).map((it: SlownessOrigin) => ({
        ...it,
        traces: [...it.traces],
        through: [...it.through],
        kinds: [...it.kinds],
        only: [...it.only],
      })),
    },
    time: timeOf(lit, before),
  };
}

type Samples = Map<number, { requests: number; traces: Trace[] }>;

async function samples(window: Window, each: number, entryIds?: readonly number[]): Promise<Samples> {
  if (entryIds?.length === 0) return new Map();
  const found = await tracesByEntry(window, 'all', each, ENTRIES, entryIds);
  const all: Samples = new Map();
  for (const { operationId, requests, traces } of found) all.set(operationId, { requests, traces: await assembled(traces) });
  return all;
}

/** Where a request began to fail, and what it said there. */
type WordedStart = FailureStart & { readonly words: string };

async function failingRequests(
  failed: Awaited<ReturnType<typeof tracesByEntry>>,
  figures: Awaited<ReturnType<typeof entryFigures>>,
  withoutClientErrors: boolean,
): Promise<FailingRequests<WordedStart>> {
  const starts: WordedStart[] = [];
  let failing = 0;
  for (const entry of failed) {
    const traces = await assembled(entry.traces);
    const found = traces.flatMap((trace) => {
      const start = failureStart(trace);
      if (!start || (withoutClientErrors && start.clientError)) return [];
      return [{ ...start, words: failureWords(trace.nodes[start.span].span) }];
    });
    const weight = traces.length === 0 ? 0 : entry.requests / traces.length;
    failing += weight * found.length;
    starts.push(...found.map((it) => ({ ...it, weight })));
  }
  const requests = [...figures.values()].reduce((sum, { calls }) => sum + calls, 0);
  return { requests, failing: Math.round(failing), starts };
}

/** Where the time of each service's requests goes, either side. */
function timeOf(lit: Samples, before: Samples): z.output<typeof serviceTime>[] {
  const sides = [lit, before].map((side) => {
    const sums = new Map<string, PartyTime>();
    for (const { requests, traces } of side.values())
      for (const trace of traces) addTimeWithin(sums, trace, requests / traces.length);
    return sums;
  });
  const services = [...new Set(sides.flatMap((sums) => [...sums.keys()]))].sort();
  return services.map((service) => ({
    service,
    lit: describeTime(sides[0].get(service)),
    before: describeTime(sides[1].get(service)),
  }));
}

/** Time of a place's requests by what it went into, per request, the most first. */
export function describeTime(sum: PartyTime | undefined): z.output<typeof time> | null {
  if (!sum || sum.requests === 0) return null;
  return {
    meanNs: sum.ns / sum.requests,
    requests: Math.round(sum.requests),
    lines: [...sum.lines.values()].map((line) => ({ ...line, ns: line.ns / sum.requests })).sort((a, b) => b.ns - a.ns),
  };
}
