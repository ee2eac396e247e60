import { z } from 'zod';
import { countOf, quantiles } from '../../core/measures/sketch.ts';
import { readOperation } from '../../core/requests/requestColumns.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { noCallsIn, type VersionCalls } from '../../core/versions/versionCalls.ts';
import { type VersionChange, versionChanges } from '../../core/versions/versionChange.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { addVersionTraffic, type VersionTraffic } from '../../store/requests/versionTraffic.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { changeAbout, changesAbout } from './changesAbout.ts';

export type ServiceVersions = z.output<typeof serviceVersions.answer>;

const verdict = z.enum(['worse', 'better', 'same', 'unknown']);
const ranged = z.object({ value: z.number(), range: z.tuple([z.number(), z.number()]) });
const side = z.object({
  calls: z.number(),
  failed: z.number(),
  p50Ns: z.number().nullable(),
  p95Ns: z.number().nullable(),
});

export const serviceVersions = endpoint({
  path: '/api/services/{name}/versions',
  least: 'reader',
  summary: 'The versions of a service: their share of its calls over time, and what each operation became from one to the next.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    name: z.string(),
    older: z.string().optional().meta({ description: 'The version that is held against; the one before `newer` when absent.' }),
    newer: z.string().optional().meta({ description: 'The one that came last when absent.' }),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    requests: z.number().meta({ description: 'In which the service took part, of both windows.' }),
    mixed: z.number().meta({ description: 'Of those, how many several versions took part in; their calls are not counted.' }),
    stepMs: z.number(),
    versions: z.array(
      z.object({
        version: z.string().meta({ description: 'Empty where the service names none.' }),
        firstAt: z.number().meta({ description: 'Its first call in either window, to the stretch; epoch milliseconds.' }),
        lastAt: z.number(),
        calls: z.number(),
        lit: z.array(z.number()).meta({ description: 'Calls it handled by stretch of the lit window.' }),
      }),
    ),
    deployments: z
      .array(
        z.object({
          older: z.string(),
          newer: z.string(),
          at: z.number(),
          worse: z.number(),
          better: z.number(),
          same: z.number(),
          unknown: z.number(),
        }),
      )
      .meta({ description: 'Each version that came after another, with how many operations became what.' }),
    older: z.string().nullable(),
    newer: z.string().nullable(),
    operations: z.array(
      z.object({
        operation: z.string(),
        kind: z.enum(SPAN_KINDS),
        basis: z.enum(['beside', 'after']),
        verdict,
        by: z.enum(['duration', 'failures']).nullable(),
        times: ranged
          .nullable()
          .meta({ description: 'How many times as long the newer one takes; the range holds it 99 times in 100.' }),
        failing: ranged.meta({ description: 'By how much the failing share grew.' }),
        held: z.object({ older: z.number(), newer: z.number() }).meta({ description: 'Calls that the verdict is of.' }),
        older: side,
        newer: side,
      }),
    ),
    changes: z.array(changeAbout),
  }),
  run: async ({ name, older, newer, ...query }) => {
    const { lit, before } = await windowsOf(query);
    const { traffic, stepMs, timeOf, litStretches } = await trafficOf(name, lit, before);
    const versions = [...traffic.versions].map(([version, operations]) => {
      const calls = sumOf(
        [...operations].flatMap(([operation, it]) => (isHandled(operation) ? it : [])),
        traffic.stretches,
      );
      const busy = [...calls.keys()].filter((at) => calls[at] > 0);
      const times = busy.map(timeOf);
      return {
        version,
        operations,
        firstAt: Math.min(...times),
        lastAt: Math.max(...times),
        calls: calls.reduce((sum, it) => sum + it, 0),
        lit: [...calls.subarray(0, litStretches)],
      };
    });
    const inOrder = versions.filter(({ calls }) => calls > 0).sort((a, b) => a.firstAt - b.firstAt || a.lastAt - b.lastAt);
    const of = (version: string | undefined) => inOrder.find((it) => it.version === version);
    const deployments = inOrder.slice(1).map((it, index) => {
      const found = changesOf(inOrder[index].operations, it.operations, traffic.stretches).filter(({ kind }) =>
        isEntryKind(kind),
      );
      const count = (which: VersionChange['verdict']) => found.filter(({ change }) => change.verdict === which).length;
      return {
        older: inOrder[index].version,
        newer: it.version,
        at: it.firstAt,
        worse: count('worse'),
        better: count('better'),
        same: count('same'),
        unknown: count('unknown'),
      };
    });
    const to = of(newer) ?? inOrder.at(-1);
    const from = of(older) ?? (to && inOrder[inOrder.indexOf(to) - 1]);
    const pair = to && from && to !== from ? { to, from } : undefined;
    const changes = await changesBetween(lit.from, lit.to);
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      requests: traffic.requests,
      mixed: traffic.mixed,
      stepMs,
      versions: inOrder.map(({ operations: _, ...it }) => it),
      deployments,
      older: pair?.from.version ?? null,
      newer: pair?.to.version ?? to?.version ?? null,
      operations: pair
        ? changesOf(pair.from.operations, pair.to.operations, traffic.stretches).map(({ operation, kind, change, sides }) => ({
            operation,
            kind,
            basis: change.basis,
            verdict: change.verdict,
            by: change.by,
            times: change.times && { value: change.times.value, range: [...change.times.range] as [number, number] },
            failing: { value: change.failing.value, range: [...change.failing.range] as [number, number] },
            held: change.calls,
            older: describeSide(sides[0]),
            newer: describeSide(sides[1]),
          }))
        : [],
      changes: changesAbout(changes, [name]),
    };
  },
});

const STRETCHES = 60;
/** Of the window before, which may be much longer. */
const MOST_STRETCHES = 240;
const MINUTE_MS = 60_000;

/** The calls in the stretches of both windows, those of the lit one first. */
async function trafficOf(service: string, lit: Window, before: Window) {
  const [litFrom, litTo] = [Number(lit.from / 1_000_000n), Number(lit.to / 1_000_000n)];
  const [beforeFrom, beforeTo] = [Number(before.from / 1_000_000n), Number(before.to / 1_000_000n)];
  const span = Math.max((litTo - litFrom) / STRETCHES, (beforeTo - beforeFrom) / MOST_STRETCHES);
  const stepMs = Math.max(1, Math.ceil(span / MINUTE_MS)) * MINUTE_MS;
  const litStretches = Math.ceil((litTo - litFrom) / stepMs);
  const traffic: VersionTraffic = {
    service,
    stretches: litStretches + Math.ceil((beforeTo - beforeFrom) / stepMs),
    versions: new Map(),
    mixed: 0,
    requests: 0,
  };
  await addVersionTraffic(traffic, lit, (ms) => Math.min(litStretches - 1, Math.floor((ms - litFrom) / stepMs)));
  // What lies in both windows is counted once.
  await addVersionTraffic(traffic, before, (ms) =>
    ms >= litFrom && ms < litTo ? -1 : litStretches + Math.floor((ms - beforeFrom) / stepMs),
  );
  const timeOf = (at: number) => (at < litStretches ? litFrom + at * stepMs : beforeFrom + (at - litStretches) * stepMs);
  return { traffic, stepMs, timeOf, litStretches };
}

function isEntryKind(kind: string): boolean {
  return kind === 'server' || kind === 'consumer';
}

function isHandled(operation: string): boolean {
  return isEntryKind(readOperation(operation).kind);
}

function sumOf(all: readonly VersionCalls[], stretches: number): Float64Array {
  const sum = new Float64Array(stretches);
  for (const { calls } of all) for (const [at, count] of calls.entries()) sum[at] += count;
  return sum;
}

/** What each operation became, those with a verdict first, then by calls. */
function changesOf(older: ReadonlyMap<string, VersionCalls>, newer: ReadonlyMap<string, VersionCalls>, stretches: number) {
  const none = noCallsIn(stretches);
  const names = [...new Set([...older.keys(), ...newer.keys()])];
  const pairs = names.map((name) => [older.get(name) ?? none, newer.get(name) ?? none] as const);
  const changes = versionChanges(pairs);
  const rank = { worse: 0, better: 1, same: 2, unknown: 3 };
  return names
    .map((name, at) => {
      const { name: operation, kind } = readOperation(name);
      return { operation, kind, change: changes[at], sides: pairs[at] };
    })
    .sort((a, b) => rank[a.change.verdict] - rank[b.change.verdict] || weight(b.change) - weight(a.change));
}

/** How far it changed, in its own measure; by calls where it did not. */
function weight({ by, times, failing, calls }: VersionChange): number {
  if (by === 'failures') return 1_000 + Math.abs(failing.value);
  if (by === 'duration') return Math.abs(Math.log(times?.value ?? 1));
  return Math.min(calls.older, calls.newer);
}

function describeSide({ calls, failed, sketch }: VersionCalls) {
  const [p50Ns, p95Ns] = countOf(sketch) > 0 ? quantiles(sketch, [0.5, 0.95]) : [null, null];
  const total = (of: Float64Array) => of.reduce((sum, it) => sum + it, 0);
  return { calls: total(calls), failed: total(failed), p50Ns, p95Ns };
}
