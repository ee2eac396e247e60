import { z } from 'zod';
import { seriesKeyOf } from '../../core/incidents/watchedSeries.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import type { CallSum } from '../../core/measures/callSum.ts';
import { CONSUMER, PRODUCER, SERVER } from '../../core/trace/span.ts';
import { blocksOf, type CallBlocks } from '../../core/verdict/callBlocks.ts';
import { oneBlock } from '../../core/verdict/sumVerdicts.ts';
import { type Measure, type RowCalls, type Verdict, verdicts } from '../../core/verdict/verdict.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { incidentsBetween } from '../../store/incidents/incidents.ts';
import { entryBlocks } from '../../store/requests/entryBlocks.ts';
import { blocksOfKeys, rollupBlocks } from '../../store/rollups/rollupBlocks.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import { isInRollups } from '../../store/scope/traceFilter.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import type { Window } from '../comparison.ts';

/*
 * How journeys, entries and services are, said in one place: every page that shows a state takes it from here.
 */

export interface Windows {
  readonly lit: Window;
  readonly before: Window;
}

export const stateAnswer = z.enum(['calm', 'perhaps', 'strained', 'failing', 'unknown']);
export const verdictAnswer = z.object({
  state: stateAnswer.meta({
    description:
      'failing: more fail than usual; strained: slower; perhaps: one of both, not beyond chance; unknown: too few to say.',
  }),
  changed: z.enum(['failures', 'p95', 'p50']).nullable(),
  basis: z.enum(['before', 'within', 'none']).meta({
    description:
      'What the lit calls were held against: those before; the rest of the lit window, when there are too few before; nothing.',
  }),
  worst: z.object({ from: z.number(), to: z.number(), usual: z.number(), shifted: z.number(), calls: z.int() }).nullable().meta({
    description: 'When it was worst, epoch milliseconds, where that is a part of the window: nanoseconds, or a share of calls.',
  }),
  moreCalls: z.int().nullable().meta({ description: 'Of a perhaps: about how many calls more would tell.' }),
});
export type VerdictAnswer = z.output<typeof verdictAnswer>;

const MINUTE_NS = 60_000_000_000n;
/** Up to so many minutes a window is looked at by blocks of so many: at most some hundred blocks, however long it is. */
const STEPS = [
  [180, 1],
  [1_800, 5],
  [43_200, 60],
] as const;
const LONGEST_STEP = 1_440;

/** Of each journey that had a request in either window, and of each entry that no journey names. */
export async function journeyVerdicts(windows: Windows): Promise<Map<string, Verdict>> {
  return judged(new Map((await journeyRows(windows)).map(({ name, row }) => [name, row])));
}

/** Of each entry operation, by its id, whether its journey got slower, and which that is; failures are left out. */
export async function entrySlowness(windows: Windows): Promise<Map<number, Verdict & { readonly journey: string }>> {
  const journeys = await journeyRows(windows);
  const rows = journeys.map(({ row: { lit, before, known } }) => ({
    lit: withoutFailures(lit),
    before: withoutFailures(before),
    known,
  }));
  const verdictOf = verdicts(rows);
  return new Map(journeys.flatMap(({ name, ids }, at) => ids.map((id) => [id, { ...verdictOf[at], journey: name }] as const)));
}

interface JourneyRow {
  readonly name: string;
  /** Of its entry operations. */
  readonly ids: readonly number[];
  readonly row: RowCalls;
}

async function journeyRows(windows: Windows): Promise<JourneyRow[]> {
  const [named, entries, calls, known] = await Promise.all([
    namedJourneys(),
    entryOperations(),
    entryCalls(windows),
    knownMeasures(windows.lit),
  ]);
  const idsOf = new Map<string, number[]>();
  for (const { id, name } of entries) if (calls.ids.has(id)) idsOf.set(name, [...(idsOf.get(name) ?? []), id]);
  return journeysOf(named, [...idsOf.keys()]).flatMap(({ name, entries: own, objective }) => {
    const ids = own.flatMap((entry) => idsOf.get(entry) ?? []);
    if (ids.length === 0) return [];
    const promised = objective && {
      share: objective.share,
      ...(objective.withinMs === undefined ? {} : { withinNs: objective.withinMs * 1e6 }),
    };
    return [{ name, ids, row: { ...calls.of(ids), known: known(ids), ...(promised && { objective: promised }) } }];
  });
}

/**
 * Of each service, by what it handled.
 *
 * @param counted calls of both windows where conditions narrow them: then no rollup can tell, and stretches are not looked at
 */
export async function serviceVerdicts(
  windows: Windows,
  counted?: { readonly lit: ReadonlyMap<string, CallSum>; readonly before: ReadonlyMap<string, CallSum> },
): Promise<Map<string, Verdict>> {
  const known = await knownMeasures(windows.lit);
  const operations = await allOperations();
  const handlers = new Map<string, number[]>();
  for (const { id, service, kind } of operations)
    if (kind === SERVER || kind === CONSUMER) handlers.set(service, [...(handlers.get(service) ?? []), id]);
  const rows = new Map<string, RowCalls>();
  if (counted) {
    for (const service of new Set([...counted.lit.keys(), ...counted.before.keys()]))
      rows.set(service, {
        lit: oneBlock(listOf(counted.lit.get(service))),
        before: oneBlock(listOf(counted.before.get(service))),
        known: known(handlers.get(service) ?? []),
      });
    return judged(rows);
  }
  const step = blockStep(windows.lit);
  const [instances, lit, before] = await Promise.all([
    allInstances(),
    rollupBlocks('instances', windows.lit.from, windows.lit.to, step),
    rollupBlocks('instances', windows.before.from, windows.before.to, step),
  ]);
  const idsOf = new Map<string, number[]>();
  for (const { id, service } of instances)
    if (lit.has(id) || before.has(id)) idsOf.set(service, [...(idsOf.get(service) ?? []), id]);
  for (const [service, ids] of idsOf)
    rows.set(service, {
      lit: blocksOfKeys(lit, ids, step),
      before: blocksOfKeys(before, ids, step),
      known: known(handlers.get(service) ?? []),
    });
  return judged(rows);
}

export function describeVerdict({ state, changed, basis, worst, moreCalls }: Verdict): VerdictAnswer {
  return {
    state,
    changed: changed ?? null,
    basis,
    worst: worst
      ? {
          from: worst.fromMinute * 60_000,
          to: worst.toMinute * 60_000,
          usual: worst.usual,
          shifted: worst.shifted,
          calls: worst.calls,
        }
      : null,
    moreCalls: moreCalls !== undefined && Number.isFinite(moreCalls) ? moreCalls : null,
  };
}

/** What only moves messages about is nobody's request. */
async function entryOperations() {
  return (await allOperations()).filter(({ kind }) => kind !== PRODUCER && kind !== CONSUMER);
}

interface EntryCalls {
  /** Entries with a call in either window. */
  readonly ids: ReadonlySet<number>;
  readonly of: (ids: readonly number[]) => Pick<RowCalls, 'lit' | 'before'>;
}

async function entryCalls({ lit, before }: Windows): Promise<EntryCalls> {
  const step = blockStep(lit);
  const [now, then] = await Promise.all([callsIn(lit, step), callsIn(before, step)]);
  return {
    ids: new Set([...now.ids, ...then.ids]),
    of: (ids) => ({ lit: now.of(ids), before: then.of(ids) }),
  };
}

async function callsIn(
  window: Window,
  step: number,
): Promise<{ ids: Iterable<number>; of: (ids: readonly number[]) => CallBlocks }> {
  if (isInRollups(window)) {
    const stored = await rollupBlocks('entries', window.from, window.to, step);
    return { ids: stored.keys(), of: (ids) => blocksOfKeys(stored, ids, step) };
  }
  const counted = await entryBlocks(window, step);
  return {
    ids: counted.keys(),
    of: (ids) =>
      blocksOf(
        step,
        ids.flatMap((id) => counted.get(id) ?? []),
      ),
  };
}

/** Minutes of the blocks by which a window is looked at. */
export function blockStep({ from, to }: Pick<Window, 'from' | 'to'>): number {
  const minutes = Number((to - from) / MINUTE_NS);
  return STEPS.find(([longest]) => minutes <= longest)?.[1] ?? LONGEST_STEP;
}

function withoutFailures(calls: CallBlocks): CallBlocks {
  return { ...calls, blocks: calls.blocks.map((it) => ({ ...it, failures: 0 })) };
}

/** What incidents that touch a window have shown of some operations. */
async function knownMeasures({ from, to }: Window): Promise<(operationIds: readonly number[]) => Measure[]> {
  const [first, last] = [Number(from / MINUTE_NS), Number((to - 1n) / MINUTE_NS)];
  const shifts = (await incidentsBetween(first, last)).flatMap((it) => it.shifts);
  const known = new Map<string, Set<Measure>>();
  for (const { series, measure, firstMinute, lastMinute } of shifts) {
    if (firstMinute > last || lastMinute < first) continue;
    known.set(series, (known.get(series) ?? new Set()).add(measure));
  }
  return (ids) => [...new Set(ids.flatMap((id) => [...(known.get(seriesKeyOf('operation', id)) ?? [])]))];
}

function listOf<T>(it: T | undefined): T[] {
  return it === undefined ? [] : [it];
}

function judged<Key>(rows: ReadonlyMap<Key, RowCalls>): Map<Key, Verdict> {
  const all = verdicts([...rows.values()]);
  return new Map([...rows.keys()].map((key, at) => [key, all[at]]));
}
