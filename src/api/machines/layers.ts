import { z } from 'zod';
import { compareHost, guiltOf } from '../../core/machines/guilty.ts';
import { LAYERS, type Layer } from '../../core/machines/rules.ts';
import {
  type Cell,
  type Column,
  cellsOf,
  lowestIll,
  nameOn,
  type Reading,
  rolesOf,
  stretchAround,
} from '../../core/machines/strata.ts';
import { type IllBlock, worstMinute } from '../../core/machines/worstMinute.ts';
import { condition } from '../../core/scope/condition.ts';
import { timeWithinServices } from '../../store/requests/timeWithinServices.ts';
import { calleesByService } from '../../store/rollups/traffic.ts';
import { isNarrowed } from '../../store/scope/traceFilter.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { type KnownFleet, knownFleet, serviceReading } from './fleetOf.ts';
import { causeAnswer, causeOf } from './hostCause.ts';
import { comparisonAnswer, hostPairs } from './hostGuilt.ts';

export type MachineLayers = z.output<typeof machineLayers.answer>;

/** Columns that are drawn; what is ill is never left out before what is well. */
const MOST_COLUMNS = 64;
const MINUTE_MS = 60_000;
const ROLES = ['starts', 'stands', 'calls', 'ill', 'calm', 'unknown'] as const;

export const readingAnswer = z.object({
  rule: z.string(),
  value: z.number().nullable(),
  usual: z.object({ median: z.number(), low: z.number(), high: z.number() }).nullable(),
  standing: z.enum(['calm', 'ill', 'unknown']),
});

export function describeReading({ rule, value, usual, standing }: Reading): z.output<typeof readingAnswer> {
  return { rule, value: Number.isNaN(value) ? null : value, usual: usual ? { ...usual } : null, standing };
}

const cellAnswer = z.object({
  name: z.string(),
  columns: z.array(z.int()).meta({ description: 'Places of the columns that stand on it, or are it.' }),
  standing: z.enum(['calm', 'ill', 'unknown']),
  role: z.enum(ROLES),
  readings: z.array(readingAnswer),
});

export const machineLayers = endpoint({
  path: '/api/machines/layers',
  least: 'reader',
  summary:
    'Instances with what they stand on, layer by layer, at one moment of the lit window against what is usual: which layer is ill, and the lowest one that is.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    of: z
      .string()
      .max(300)
      .default('')
      .meta({ description: 'Only instances of this service; all that the requests touch by default.' }),
    journey: z
      .string()
      .max(200)
      .default('')
      .meta({ description: 'Only instances of services that requests of this named journey touch.' }),
    at: z.coerce
      .number()
      .optional()
      .meta({ description: 'The moment, epoch milliseconds; the one at which most is ill by default.' }),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    at: z.number().meta({ description: 'The minute that is shown, epoch milliseconds.' }),
    chosen: z.boolean().meta({ description: 'Whether it was asked for.' }),
    instances: z.int().meta({ description: 'All instances; those that are not among the columns are well.' }),
    columns: z.array(
      z.object({ service: z.string(), instance: z.string(), container: z.string(), vm: z.string(), host: z.string() }),
    ),
    layers: z.array(z.object({ layer: z.enum(LAYERS), cells: z.array(cellAnswer) })),
    lowest: z
      .object({
        layer: z.enum(LAYERS),
        name: z.string(),
        since: z.number(),
        until: z.number().meta({ description: 'Epoch milliseconds; the end of the window when it goes on.' }),
        above: z.int(),
        of: z.int(),
        sure: z.boolean().meta({ description: 'Whether at least 80 % of what is ill above stands on it.' }),
        services: z.int().meta({ description: 'Ill services on it.' }),
        alike: z.int().meta({ description: 'Others of its service, on its layer, that are ill in the same way.' }),
        cause: causeAnswer.nullable(),
        comparison: comparisonAnswer.nullable().meta({ description: 'Requests through it against like ones elsewhere.' }),
        guilt: z.enum(['guilty', 'not guilty', 'not known']),
      })
      .nullable(),
    ill: z.int().meta({ description: 'How many cells are ill.' }),
    overTime: z.array(z.object({ at: z.number(), below: z.int(), services: z.int() })).meta({
      description: 'How much is ill over the window: instances on something that is ill, and instances whose service is.',
    }),
  }),
  run: async ({ of, journey, at, ...query }) => {
    const windows = await windowsOf(query);
    const { lit, before } = windows;
    const services = await servicesMeant(of, journey, lit);
    const [known, callees] = await Promise.all([knownFleet(windows, services), calleesByService()]);
    const blocks = illBlocks(known);
    const asked = at === undefined ? undefined : Math.floor(at / MINUTE_MS) - known.firstMinute;
    const isAsked = asked !== undefined && asked >= 0 && asked < known.minutes;
    const minute = isAsked ? asked : worstMinute(blocks, known.minutes);
    const cells = allCells(known, minute);
    const lowest = lowestIll(cells, known.columns, callees);
    const roles = rolesOf(cells, known.columns, lowest, callees);
    const roleOf = new Map(cells.map((it, place) => [it, roles[place]]));
    const shown = shownColumns(known.columns, cells, lowest?.cell);
    const place = new Map(shown.map((column, to) => [column, to]));
    const stretch = lowest && stretchOf(known, lowest.cell, minute);
    const time = (of: number) => (known.firstMinute + of) * MINUTE_MS;
    const between = stretch && { from: time(stretch.first), to: time(stretch.last + 1) };
    const host = lowest && hostOf(lowest.cell, known.columns);
    const pairs = host && between ? hostPairs(known, host, between) : undefined;
    const [lit_, before_] = [pairs && compareHost(pairs.lit), pairs && compareHost(pairs.before)];
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      at: time(minute),
      chosen: isAsked,
      instances: known.columns.length,
      columns: shown.map((column) => ({ ...known.columns[column] })),
      layers: LAYERS.map((layer) => ({
        layer,
        cells: cells
          .filter((it) => it.layer === layer && it.columns.some((column) => place.has(column)))
          .map((it) => ({
            name: it.name,
            columns: it.columns.flatMap((column) => place.get(column) ?? []),
            standing: it.standing,
            role: roleOf.get(it)!,
            readings: it.readings.map(describeReading),
          })),
      })),
      lowest: lowest
        ? {
            layer: lowest.cell.layer,
            name: lowest.cell.name,
            since: between!.from,
            until: between!.to,
            above: lowest.above,
            of: lowest.of,
            sure: lowest.isSure,
            services: servicesOn(lowest.cell, cells, known.columns),
            alike: alikeOf(lowest.cell, cells, known.columns),
            cause: await causeOf(lowest.cell, known, between!, before),
            comparison: lit_ ? { ...lit_, interval: [...lit_.interval], before: before_?.ratio ?? null } : null,
            guilt: guiltOf(lit_, before_),
          }
        : null,
      ill: cells.filter(({ standing }) => standing === 'ill').length,
      overTime: blocks.map(({ first, below, services: ill }) => ({ at: time(first), below, services: ill })),
    };
  },
});

/** The services whose instances are meant; undefined for all. @throws ApiError for a journey that nobody named */
async function servicesMeant(of: string, journey: string, lit: Window): Promise<Set<string> | undefined> {
  if (of !== '') return new Set([of]);
  if (journey === '') return isNarrowed(lit) ? servicesOf(lit) : undefined;
  const named = (await namedJourneys()).find(({ name }) => name === journey);
  if (!named) throw new ApiError(404, `There is no journey "${journey}"; they are named on Now.`);
  return servicesOf({ ...lit, where: [...(lit.where ?? []), condition('entry', 'is', ...named.entries)] });
}

async function servicesOf(lit: Window): Promise<Set<string>> {
  return new Set((await timeWithinServices(lit)).services.keys());
}

/** The cells of all layers at a minute. */
export function allCells(known: KnownFleet, minute: number): Cell[] {
  const { columns, calls, fleet } = known;
  const at = new Map(columns.map((column, place) => [column, place]));
  return LAYERS.flatMap((layer) =>
    cellsOf(layer, columns, (name, column) =>
      layer === 'service' ? [serviceReading(known, calls[at.get(column)!], minute)] : fleet.readings(layer, name, column, minute),
    ),
  );
}

/** What is ill, block by block of the lit window. */
export function illBlocks(known: KnownFleet): IllBlock[] {
  const { columns, calls, fleet, minutes, blockMinutes } = known;
  const things = new Map<string, { layer: Layer; name: string; column: Column; own: number[] }>();
  for (const [at, column] of columns.entries())
    for (const layer of LAYERS) {
      const name = layer === 'service' ? '' : nameOn(layer, column);
      if (name === '') continue;
      const known = things.get(`${layer}\0${name}`);
      if (known) known.own.push(at);
      else things.set(`${layer}\0${name}`, { layer, name, column, own: [at] });
    }
  // Most are calm all the time: they are not asked again for each block.
  const doubtful = [...things.values()].filter(({ layer, name, column }) => fleet.mayBeIll(layer, name, column));
  return Array.from({ length: Math.ceil(minutes / blockMinutes) }, (_, at) => {
    const first = at * blockMinutes;
    const end = Math.min(minutes, first + blockMinutes);
    const ill = new Set<number>();
    for (const { layer, name, column, own } of doubtful)
      if (!own.every((it) => ill.has(it)) && fleet.isIll(layer, name, column, first, end)) for (const it of own) ill.add(it);
    const services = calls.filter((it) => serviceReading(known, it, first).standing === 'ill').length;
    return { first, end, below: ill.size, services };
  });
}

/** What is ill comes first, then its neighbours, then the rest, each in the order in which they stand. */
function shownColumns(columns: readonly Column[], cells: readonly Cell[], lowest: Cell | undefined): number[] {
  if (columns.length <= MOST_COLUMNS) return columns.map((_, at) => at);
  const ill = new Set(cells.filter(({ standing }) => standing === 'ill').flatMap((it) => it.columns));
  const own = new Set(lowest?.columns ?? []);
  const rank = (at: number) => (own.has(at) ? 0 : ill.has(at) ? 1 : 2);
  return columns
    .map((_, at) => at)
    .sort((a, b) => rank(a) - rank(b) || a - b)
    .slice(0, MOST_COLUMNS)
    .sort((a, b) => a - b);
}

/** How long a cell has been ill around a minute. */
function stretchOf({ fleet, columns, minutes }: KnownFleet, cell: Cell, minute: number): { first: number; last: number } {
  const column = columns[cell.columns[0]];
  return stretchAround((at) => fleet.isIll(cell.layer, cell.name, column, at - 1, at + 2), minute, minutes);
}

function servicesOn(cell: Cell, cells: readonly Cell[], columns: readonly Column[]): number {
  const own = new Set(cell.columns);
  return new Set(
    cells
      .filter((it) => it.layer === 'service' && it.standing === 'ill' && it.columns.some((at) => own.has(at)))
      .map((it) => columns[it.columns[0]].service),
  ).size;
}

function alikeOf(cell: Cell, cells: readonly Cell[], columns: readonly Column[]): number {
  const { service } = columns[cell.columns[0]];
  return cells.filter(
    (it) =>
      it !== cell &&
      it.standing === 'ill' &&
      it.layer === cell.layer &&
      it.readings[0].rule === cell.readings[0].rule &&
      it.columns.length === 1 &&
      columns[it.columns[0]].service === service,
  ).length;
}

/** The machine whose requests can be held against those elsewhere. */
function hostOf({ layer, name, columns: own }: Cell, columns: readonly Column[]): string {
  if (layer === 'host' || layer === 'disk' || layer === 'network' || layer === 'vm') return name;
  const { vm, host } = columns[own[0]];
  return vm || host;
}
