import { group } from 'd3-array';
import { z } from 'zod';
import { harmOf } from '../../core/journeys/harm.ts';
import { writeOperation } from '../../core/requests/requestColumns.ts';
import { type FailingRequests, type FailureStart, failureOrigins } from '../../core/topology/origin/failureStart.ts';
import type { Origin } from '../../core/topology/origin/origin.ts';
import { slowMachine } from '../../core/topology/origin/slowMachine.ts';
import type { SlownessOrigin } from '../../core/topology/origin/slowness.ts';
import type { PartyTime } from '../../core/topology/origin/timeWithin.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { TIME_KINDS } from '../../core/trace/time/timeKind.ts';
import type { Verdict } from '../../core/verdict/verdict.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { machinesOfHosts } from '../../store/measures/inventory.ts';
import type { PathRequest } from '../../store/requests/requestPaths.ts';
import { timeWithinServices } from '../../store/requests/timeWithinServices.ts';
import { entryFigures } from '../../store/rollups/entryFigures.ts';
import { peerServices } from '../../store/rollups/traffic.ts';
import { expectReadings } from '../../store/scope/progress.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { rememberWindows } from '../rememberWindows.ts';
import { entrySlowness } from '../verdict/verdicts.ts';
import { callsPerRequest, sumPaths } from './paths.ts';

export type Starts = z.output<typeof answer>;

const origin = {
  node: z.string(),
  party: z.string(),
  share: z.number(),
  amount: z.number(),
  starts: z.boolean(),
  traces: z.array(z.string()),
  through: z.array(z.string()),
};
export const slownessOrigin = z.object({
  ...origin,
  shareRange: z.tuple([z.number(), z.number()]).meta({ description: 'In which the share lies nine times out of ten.' }),
  kinds: z.array(z.object({ kind: z.enum(TIME_KINDS), extraNs: z.number() })),
  moreCalls: z
    .array(z.object({ to: z.string(), before: z.number(), lit: z.number(), extraNs: z.number(), asker: z.string().nullable() }))
    .meta({
      description:
        'Whom it calls more often for each of its requests, and the extra time of that; of a cache, who asks in its place.',
    }),
  misses: z.array(z.object({ asker: z.string(), before: z.number(), lit: z.number(), extraNs: z.number() })).meta({
    description:
      'Of a cache: who asks it for what it has not, in which share of the requests in which it is asked, and the extra time of that.',
  }),
  only: z.array(z.object({ what: z.enum(['host', 'instance', 'version']), name: z.string(), share: z.number() })),
});

export function describeOrigin(it: SlownessOrigin): z.output<typeof slownessOrigin> {
  return {
    ...it,
    shareRange: [...it.shareRange],
    traces: [...it.traces],
    through: [...it.through],
    kinds: [...it.kinds],
    moreCalls: [...it.moreCalls],
    misses: [...it.misses],
    only: [...it.only],
  };
}

const timeLine = z.object({ kind: z.enum([...TIME_KINDS, 'below']), party: z.string(), ns: z.number() });
export const time = z.object({ meanNs: z.number(), requests: z.int(), lines: z.array(timeLine) });
const serviceTime = z.object({ service: z.string(), lit: time.nullable(), before: time.nullable() });

const answer = z.object({
  failures: z.object({
    requests: z.int(),
    failing: z.int().meta({ description: 'Requests that failed and whose spans say where it began.' }),
    origins: z.array(z.object({ ...origin, what: z.string().meta({ description: 'What the span says where it starts.' }) })),
  }),
  slowness: z.object({
    entries: z.array(z.string()).meta({ description: 'Entries that got slower, the most extra waiting first.' }),
    extraNs: z.number().meta({ description: 'Waited longer by all requests of them together.' }),
    requests: z.int().meta({ description: 'Lit requests of these entries; all of them are counted.' }),
    machine: z
      .object({ name: z.string(), share: z.number(), nodes: z.array(z.string()) })
      .nullable()
      .meta({ description: 'What the places that got slower have in common: all of it is on this machine.' }),
    origins: z.array(slownessOrigin),
  }),
  time: z.array(serviceTime),
});

export const starts = endpoint({
  path: '/api/map/starts',
  least: 'reader',
  summary:
    'Where failures and waiting start, and who only passes them on, from all requests of both windows, and where the time of services goes.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, clientErrors: z.enum(['shown', 'hidden']).default('shown') }),
  answer,
  remember: async ({ clientErrors, ...query }) => rememberWindows(await windowsOf(query), clientErrors),
  run: async ({ clientErrors, ...query }) => lookForStarts(await windowsOf(query), clientErrors),
});

interface Windows {
  readonly lit: Window;
  readonly before: Window;
}

async function lookForStarts(windows: Windows, clientErrors: 'shown' | 'hidden'): Promise<z.input<typeof answer>> {
  const [litFigures, beforeFigures, peers, machines, operations, slowness] = await Promise.all([
    entryFigures(windows.lit),
    entryFigures(windows.before),
    peerServices(),
    machinesOfHosts(windows.lit.to),
    allOperations(),
    entrySlowness(windows),
  ]);
  const slower = slowerEntries(operations, litFigures, beforeFigures, slowness);
  const slowerIds = new Map(slower.map(({ key, id }) => [key, id]));
  const failing = { lit: new FailingCounts(clientErrors === 'hidden'), before: new FailingCounts(clientErrors === 'hidden') };
  // Paths, calls, look-ups and the time within services, of both windows.
  expectReadings(8);
  const sums = await sumPaths(
    windows,
    (entry) => slowerIds.get(writeOperation(entry)),
    (side, request) => failing[side].add(request),
  );
  const calls = await callsPerRequest(
    windows,
    slower.map(({ name }) => name),
  );
  const waited = slower.reduce((sum, it) => sum + it.extraNs, 0);
  // Beside large trouble the small trouble of another journey starts somewhere, too.
  const ofJourneys = new Set(
    [...group(slower, ({ journey }) => journey).values()].flatMap((entries) =>
      sums
        .origins({ entries: new Set(entries.map(({ id }) => id)), rates: calls })
        .filter(({ share }) => share >= MOST_OF_JOURNEY)
        .map(({ node }) => node),
    ),
  );
  const origins = sums.origins({ rates: calls }).map((it) => ({ ...it, starts: it.starts || ofJourneys.has(it.node) }));
  const machine = slowMachine(origins, (host) => machines.get(host) ?? host);
  const [timeLit, timeBefore] = await Promise.all([timeWithinServices(windows.lit), timeWithinServices(windows.before)]);
  const named = <T extends Origin>(it: T): T => ({ ...it, node: peers.get(it.node) ?? it.node });
  return {
    failures: {
      requests: failing.lit.requests,
      failing: failing.lit.failing,
      origins: failureOrigins(failing.lit, failing.before).map((it) => ({
        ...named(it),
        traces: [...it.traces],
        through: [...it.through],
        what: failing.lit.words.get(it.traces[0]) ?? '',
      })),
    },
    slowness: {
      entries: slower.filter(({ extraNs }) => extraNs > 0).map(({ name }) => name),
      extraNs: waited,
      requests: sums.requests('lit'),
      machine: machine ? { ...machine, nodes: [...machine.nodes] } : null,
      origins: origins.map(named).map(describeOrigin),
    },
    time: describeTimes(timeLit.services, timeBefore.services),
  };
}

type Figures = Awaited<ReturnType<typeof entryFigures>>;

/** A node starts the slowness of a journey when it has this much of its extra time. */
const MOST_OF_JOURNEY = 0.5;

interface SlowerEntry {
  readonly journey: string;
  readonly id: number;
  readonly name: string;
  /** As `writeOperation` writes it. */
  readonly key: string;
  readonly extraNs: number;
}

/** The entries of journeys that got slower beyond chance, those with the most extra waiting first. */
function slowerEntries(
  operations: Awaited<ReturnType<typeof allOperations>>,
  lit: Figures,
  before: Figures,
  slowness: ReadonlyMap<number, Verdict & { readonly journey: string }>,
): SlowerEntry[] {
  return operations
    .flatMap(({ id, service, name, kind }): SlowerEntry[] => {
      const calls = lit.get(id);
      const then = before.get(id);
      if (!calls || !then) return [];
      // As the harm of a journey is: of those that went well.
      const { extraWaitingNs: extraNs } = harmOf(calls, then);
      const key = writeOperation({ service, name, kind: SPAN_KINDS[kind] });
      const verdict = slowness.get(id);
      return verdict?.state === 'strained' ? [{ id, name, key, extraNs, journey: verdict.journey }] : [];
    })
    .sort((a, b) => b.extraNs - a.extraNs);
}

/** What the requests of a window say of where they failed. */
class FailingCounts implements FailingRequests {
  readonly starts: FailureStart[] = [];
  /** What the span says where a request began to fail, by trace. */
  readonly words = new Map<string, string>();
  requests = 0;
  failing = 0;
  readonly #withoutClientErrors: boolean;

  constructor(withoutClientErrors: boolean) {
    this.#withoutClientErrors = withoutClientErrors;
  }

  add(request: PathRequest): void {
    const { failed, failure } = request;
    this.requests++;
    if (!failed || !failure || (this.#withoutClientErrors && failure.clientError)) return;
    this.failing++;
    const { traceId } = request;
    this.starts.push({ ...failure, traceId });
    this.words.set(traceId, failure.words);
  }
}

function describeTimes(
  lit: ReadonlyMap<string, PartyTime>,
  before: ReadonlyMap<string, PartyTime>,
): z.output<typeof serviceTime>[] {
  const services = [...new Set([...lit.keys(), ...before.keys()])].sort();
  return services.map((service) => ({ service, lit: describeTime(lit.get(service)), before: describeTime(before.get(service)) }));
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
