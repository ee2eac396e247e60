import { z } from 'zod';
import { BlockingHarm } from '../../core/database/blockingTree.ts';
import { eachBlockedMoment } from '../../core/database/eachMoment.ts';
import { HOUR_PARTS } from '../../core/database/hours/hourColumns.ts';
import { type Cut, cutOf, sampleInflation, topShare } from '../../core/database/load/cut.ts';
import { type ClassCounts, totalOf } from '../../core/database/load/load.ts';
import type { LoadFilter, LoadSums } from '../../core/database/load/loadSums.ts';
import type { SampledSession } from '../../core/database/sampledSecond.ts';
import { DIMENSIONS, type Dimension } from '../../core/database/sessionColumns.ts';
import { parseTrail, type TrailStep } from '../../core/database/trail.ts';
import { WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import type { MeasureSeries } from '../../core/measures/measureSeries.ts';
import { secondAt } from '../../store/databases/sampledSeconds.ts';
import { type SessionLoad, sessionLoad } from '../../store/databases/sessionLoad.ts';
import { type NamedStatement, namedStatements } from '../../store/databases/statements.ts';
import { measuresOfDatabase } from '../../store/measures/measures.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime } from '../parameters.ts';
import { changeAbout, changesAbout } from '../services/changesAbout.ts';
import { comparedMeasure, compareMeasures } from '../services/measures.ts';
import {
  aroundOf,
  compareLoads,
  coverageOf,
  describeTide,
  eachPart,
  everyMoment,
  isEmptyLoad,
  loadAnswer,
  loadAround,
  loadMoves,
  nanosOf,
  type Stretch,
  stepFor,
  stretchOf,
  sumsOf,
  tideAnswer,
  worstAnswer,
} from './loads.ts';
import { describeMoment, momentAnswer } from './moment.ts';

export type DatabaseServer = z.output<typeof databaseServer.answer>;

/** Values that are listed of a dimension, the others stand together. */
const MOST_VALUES = 40;
const MOST_SIBLINGS = 8;
const MOST_ROOTS = 12;
const MOST_HELD_OPEN = 40;

const cutRow = z.object({
  value: z.string(),
  name: z.string().meta({ description: 'How it is shown: of a statement what it does to which table.' }),
  detail: z.string(),
  lit: z.array(z.number()),
  before: z.array(z.number()),
  move: loadMoves,
});

const cutAnswer = z.object({
  dimension: z.enum(DIMENSIONS),
  topShare: z.number().meta({ description: 'Share of the load that its largest value has.' }),
  values: z.number(),
  rows: z.array(cutRow),
  rest: z.object({ values: z.number(), lit: z.number(), before: z.number() }),
});

export const databaseServer = endpoint({
  path: '/api/databases/{name}',
  least: 'reader',
  summary:
    'One database server: its load over time by what sessions wait for, cut by statement, table, program and so on, who blocks whom, and what the server itself measures.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    name: z.string(),
    trail: z
      .string()
      .max(2_000)
      .default('')
      .meta({ description: 'Parts of the load that were chosen one inside of the other, such as "program:holds|class:Lock".' }),
    at: isoTime.optional().meta({ description: 'The moment whose sessions are listed; the one with most blocked by default.' }),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    classes: z.array(z.string()),
    cores: z.number(),
    most: z.number().meta({ description: 'Sessions that the server allows; 0 when unknown.' }),
    coverage: z.number(),
    lit: loadAnswer,
    before: loadAnswer,
    move: loadMoves,
    since: z.number().nullable(),
    worst: worstAnswer,
    tide: tideAnswer,
    heldOpen: z
      .array(
        z.object({
          session: z.string(),
          program: z.string(),
          user: z.string(),
          statement: z.string(),
          from: z.number(),
          to: z.number(),
          transactionFrom: z.number().nullable(),
        }),
      )
      .meta({ description: 'Sessions that held a transaction open without running anything, the longest first.' }),
    trail: z.array(
      z.object({
        dimension: z.enum([...DIMENSIONS, 'class']),
        value: z.string(),
        name: z.string(),
        load: z.number(),
        siblings: z.array(z.object({ value: z.string(), name: z.string(), lit: z.array(z.number()) })),
      }),
    ),
    chosen: loadAnswer.meta({ description: 'The load that the trail leads to.' }),
    cuts: z.array(cutAnswer),
    blocking: z.object({
      waitedMs: z.number().meta({ description: 'Time that sessions spent waiting for others, of the lit window.' }),
      roots: z.array(
        z.object({
          session: z.string(),
          program: z.string(),
          user: z.string(),
          client: z.string(),
          statementId: z.string(),
          statement: z.string(),
          text: z.string(),
          firstMs: z.number(),
          lastMs: z.number(),
          waitedMs: z.number(),
          most: z.number(),
          mostAtMs: z.number(),
          idleShare: z.number(),
        }),
      ),
    }),
    moment: momentAnswer.nullable(),
    measures: z.array(comparedMeasure).meta({ description: 'Of the worst part of the window, where there is one.' }),
    changes: z.array(changeAbout),
    growth: z
      .object({ statement: z.string(), statementId: z.string(), share: z.number() })
      .nullable()
      .meta({ description: 'The statement that grew most, and its share of all growth.' }),
  }),
  run: async ({ name, trail, at, ...query }) => {
    const steps = parseTrail(trail);
    if (!steps) throw new ApiError(400, `trail: "${trail.slice(0, 60)}" is no list of dimension:value`);
    const { lit, before } = await windowsOf(query);
    const [litStretch, beforeStretch, now] = [stretchOf(lit), stretchOf(before), Date.now()];
    const around = aroundOf(litStretch, now);
    const wanted = { server: name, parts: steps.length > 0 ? HOUR_PARTS : (['total', 'values'] as const) };
    const [current, reference, measuredNow, measuredBefore, changes] = await Promise.all([
      loadAround(around, litStretch, wanted),
      sessionLoad([beforeStretch.from, beforeStretch.to], wanted),
      measuresOfDatabase(name, lit.from, lit.to),
      measuresOfDatabase(name, before.from, before.to),
      changesBetween(nanosOf(around.from), nanosOf(around.to)),
    ]);
    if (isEmptyLoad(current) && isEmptyLoad(reference) && measuredNow.length === 0)
      throw new ApiError(404, `No sampler has reported a database server named "${name.slice(0, 100)}" in these windows.`);
    const stepMs = stepFor(around);
    const sums = sumsOf(current, name, litStretch, stepMs);
    const former = sumsOf(reference, name, beforeStretch, stepMs);
    const shown = sumsOf(current, name, around, stepMs);
    const compared = compareLoads(sums, former, shown);
    const { worst: part } = compared;
    // What an hour of trouble brought is no noise that other hours could have had.
    const inflation = Math.max(part ? 1 : sampleInflation(sums.series), sampleInflation(former.series));
    const named = await namedStatements([...sums.cuts.statement.keys(), ...former.cuts.statement.keys()]);
    const sides = { lit: { all: current, stretch: litStretch }, before: { all: reference, stretch: beforeStretch } };
    const levels = levelsOf(steps, sides, name, stepMs, named, { lit: sums, before: former });
    const chosen = levels.at(-1)!;
    const chosenShown = steps.length === 0 ? shown : sumsOf(current, name, around, stepMs, filtersOf(steps, named));
    const { blocking, worst } = blockingOf(current, name, litStretch, named);
    const moment = await momentOf(name, at, worst, sums, litStretch);
    const rootTexts = await namedStatements(blocking.roots.map(({ statementId }) => statementId));
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      classes: [...WAIT_CLASSES],
      cores: Math.max(sums.cores, shown.cores),
      most: Math.max(sums.most, former.most),
      coverage: coverageOf(sums, litStretch, now),
      ...compared,
      tide: describeTide(chosenShown.series),
      heldOpen: [...shown.heldOpen]
        .sort((a, b) => b.to - b.from - (a.to - a.from))
        .slice(0, MOST_HELD_OPEN)
        .map(({ statementId, ...it }) => ({ ...it, statement: named.get(statementId)?.name ?? '' })),
      trail: steps.map(({ dimension, value }, index) => ({
        dimension,
        value,
        name: nameOf(dimension, value, named).name,
        load: totalOf(levels[index + 1].lit.series.counts.map(totalOf)) / Math.max(1, totalOf(sums.series.samples)),
        siblings:
          dimension === 'class'
            ? []
            : cutBy(dimension, levels[index], named, inflation, MOST_SIBLINGS).rows.map((it) => ({
                value: it.value,
                name: nameOf(dimension, it.value, named).name,
                lit: [...it.lit],
              })),
      })),
      chosen: compareLoads(chosen.lit, chosen.before, chosen.lit).lit,
      cuts: DIMENSIONS.filter((it) => !steps.some(({ dimension }) => dimension === it)).map((dimension) => {
        const cut = cutBy(dimension, chosen, named, inflation, MOST_VALUES);
        return {
          dimension,
          topShare: topShare(cut),
          values: cut.rows.length + cut.rest.values,
          rows: cut.rows.map(({ value, lit: own, before: ownBefore, move }) => ({
            value,
            ...nameOf(dimension, value, named),
            lit: [...own],
            before: [...ownBefore],
            move,
          })),
          rest: cut.rest,
        };
      }),
      blocking: {
        ...blocking,
        roots: blocking.roots.map((it) => ({
          ...it,
          statement: rootTexts.get(it.statementId)?.name ?? '',
          text: rootTexts.get(it.statementId)?.text ?? '',
        })),
      },
      moment,
      measures: compareMeasures(part ? measuredNow.map((it) => within(it, part)) : measuredNow, measuredBefore),
      changes: changesAbout(changes, [name]),
      growth: growthOf(cutBy('statement', { lit: sums, before: former }, named, inflation, MOST_VALUES), named),
    };
  },
});

/** A series in a part of its window alone; its points tell their minutes. */
function within(series: MeasureSeries, { from, to }: Stretch): MeasureSeries {
  return { ...series, points: series.points.filter(([minute]) => minute * 60_000 >= from && minute * 60_000 < to) };
}

interface Level {
  readonly lit: LoadSums;
  readonly before: LoadSums;
}

type Sides = Readonly<Record<'lit' | 'before', { readonly all: SessionLoad; readonly stretch: Stretch }>>;

/** The load under each step of a trail, the first that of all. */
function levelsOf(
  steps: readonly TrailStep[],
  { lit, before }: Sides,
  name: string,
  stepMs: number,
  named: ReadonlyMap<string, NamedStatement>,
  all: Level,
): Level[] {
  return [
    all,
    ...steps.map((_, index) => {
      const filters = filtersOf(steps.slice(0, index + 1), named);
      return {
        lit: sumsOf(lit.all, name, lit.stretch, stepMs, filters),
        before: sumsOf(before.all, name, before.stretch, stepMs, filters),
      };
    }),
  ];
}

/** A table is that of its statements. */
function filtersOf(steps: readonly TrailStep[], named: ReadonlyMap<string, NamedStatement>): LoadFilter[] {
  return steps.map(({ dimension, value }) =>
    dimension === 'table'
      ? {
          dimension: 'statement',
          values: new Set([...named].flatMap(([id, { tables }]) => ((tables[0] ?? '') === value ? [id] : []))),
        }
      : { dimension, values: new Set([value]) },
  );
}

function cutBy(
  dimension: Dimension,
  { lit, before }: Level,
  named: ReadonlyMap<string, NamedStatement>,
  inflation: number,
  most: number,
): Cut {
  const counts = (sums: LoadSums) =>
    dimension === 'table' ? byTable(sums.cuts.statement, named) : (sums.cuts[dimension] as ReadonlyMap<string, ClassCounts>);
  const side = (sums: LoadSums) => ({ counts: counts(sums), samples: totalOf(sums.series.samples) });
  return cutOf(side(lit), side(before), inflation, most);
}

function byTable(
  statements: ReadonlyMap<string, ClassCounts>,
  named: ReadonlyMap<string, NamedStatement>,
): Map<string, ClassCounts> {
  const tables = new Map<string, ClassCounts>();
  for (const [id, counts] of statements) {
    const table = named.get(id)?.tables[0] ?? '';
    const sum = tables.get(table);
    if (sum) for (let at = 0; at < sum.length; at++) sum[at] += counts[at];
    else tables.set(table, counts.slice());
  }
  return tables;
}

function nameOf(dimension: TrailStep['dimension'], value: string, named: ReadonlyMap<string, NamedStatement>) {
  if (dimension === 'statement' && value !== '') {
    const { name = value, detail = '' } = named.get(value) ?? {};
    return { name, detail };
  }
  if (dimension === 'event' && value === '') return { name: 'no wait event', detail: '' };
  return { name: value === '' ? `no ${dimension}` : value, detail: '' };
}

/** Who stood in the way in the lit window, and the moment at which most were blocked. */
function blockingOf(all: SessionLoad, server: string, { from, to }: Stretch, named: ReadonlyMap<string, NamedStatement>) {
  const harm = new BlockingHarm();
  const every = everyMoment(all, { from, to });
  const visit = (atMs: number, intervalMs: number, sessions: readonly SampledSession[]) => {
    if (atMs >= from && atMs < to) harm.add(atMs, intervalMs, sessions);
  };
  eachPart(
    all,
    server,
    ({ rows, slotMs }) => eachBlockedMoment(rows, slotMs, every, visit),
    ({ hour }) => {
      if (hour.hourMs < from || hour.hourMs >= to) return;
      harm.waitedMs += hour.moments?.waitedMs ?? 0;
      for (const root of hour.roots) harm.join(root);
    },
  );
  const roots = harm.roots();
  const worst = roots[0];
  return {
    worst: worst && { at: worst.mostAtMs, session: worst.root.session },
    blocking: {
      waitedMs: harm.waitedMs,
      roots: roots.slice(0, MOST_ROOTS).map(({ root, heldOpenMs, ...it }) => ({
        ...it,
        session: root.session,
        program: root.program,
        user: root.user,
        client: root.client,
        statementId: root.statementId,
        statement: named.get(root.statementId)?.name ?? '',
        idleShare: heldOpenMs / Math.max(1000, it.lastMs - it.firstMs + 1000),
      })),
    },
  };
}

/** The sessions at the moment asked for, else when most were blocked, else when the load was highest. */
async function momentOf(
  name: string,
  at: bigint | undefined,
  worst: { readonly at: number } | undefined,
  { series }: LoadSums,
  { to }: Stretch,
) {
  const loads = series.counts.map((counts, step) => (series.samples[step] === 0 ? -1 : totalOf(counts) / series.samples[step]));
  const highest = loads.indexOf(Math.max(...loads));
  const moment = worst?.at ?? Math.min(to, series.from + (highest + 1) * series.stepMs);
  const second = await secondAt(name, at ?? nanosOf(moment) + 999_999n);
  return second ? describeMoment(second) : null;
}

function growthOf({ rows, rest }: Cut, named: ReadonlyMap<string, NamedStatement>) {
  const grown = rows.map(({ value, lit, before }) => ({ value, growth: totalOf(lit) - totalOf(before) }));
  const all = grown.reduce((sum, it) => sum + Math.max(0, it.growth), 0) + Math.max(0, rest.lit - rest.before);
  const most = [...grown].sort((a, b) => b.growth - a.growth)[0];
  if (!most || most.growth <= 0 || all <= 0) return null;
  return { statement: named.get(most.value)?.name ?? most.value, statementId: most.value, share: most.growth / all };
}
