import { z } from 'zod';
import type { MeasureSeries } from '../../core/measures/measureSeries.ts';
import { capacities, leastMove, movement } from '../../core/measures/movement.ts';
import { thinned } from '../../core/measures/sampling/thinned.ts';
import { measuresOf } from '../../store/measures/measures.ts';
import { rollupSums } from '../../store/rollups/rollupSums.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type ServiceMeasures = z.output<typeof serviceMeasures.answer>;

const turn = z.enum(['up', 'down', 'flat', 'unknown']);
const line = z.object({
  of: z.string().meta({ description: 'Instance or host.' }),
  turn,
  lit: z
    .array(z.tuple([z.number(), z.number()]))
    .meta({ description: 'Epoch milliseconds and value; in long windows means of some minutes.' }),
  before: z.array(z.tuple([z.number(), z.number()])),
});

export const comparedMeasure = z.object({
  name: z.string(),
  unit: z.string(),
  detail: z.string().meta({ description: 'What distinguishes it from others of its name, such as "steal".' }),
  ofHost: z.boolean(),
  turn,
  before: z.number().nullable().meta({ description: 'The median of all its minutes.' }),
  lit: z.number().nullable(),
  lines: z.array(line),
});

export const serviceMeasures = endpoint({
  path: '/api/services/{name}/measures',
  least: 'reader',
  summary:
    'What a service’s instances and their hosts measure of themselves, lit against before: what moved, and what stayed flat.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string() }),
  answer: z.object({
    measures: z.array(comparedMeasure),
  }),
  run: async ({ name, ...query }) => {
    const { lit, before } = await windowsOf(query);
    const [instances, busy] = await Promise.all([allInstances(), rollupSums('instance_minute', lit.from, lit.to)]);
    const hosts = [
      ...new Set(
        instances.filter(({ id, service, host }) => service === name && host !== '' && busy.has(id)).map(({ host }) => host),
      ),
    ];
    const [now, then] = await Promise.all([
      measuresOf(name, hosts, lit.from, lit.to),
      measuresOf(name, hosts, before.from, before.to),
    ]);
    return { measures: compareMeasures(now, then, name) };
  },
});

/**
 * Measures of both windows side by side, those that moved first.
 *
 * @param owner measures that others report are their hosts'; undefined when all are of one thing
 */
export function compareMeasures(
  now: readonly MeasureSeries[],
  then: readonly MeasureSeries[],
  owner?: string,
): z.output<typeof comparedMeasure>[] {
  const capacityOf = capacities(now);
  const measures = new Map<string, { first: MeasureSeries; ofHost: boolean; lines: Map<string, Sides> }>();
  const book = (series: readonly MeasureSeries[], side: keyof Sides) => {
    for (const it of series) {
      const ofHost = owner !== undefined && it.service !== owner;
      const key = `${it.name}\0${detailOf(it)}\0${ofHost}`;
      const measure = measures.get(key) ?? { first: it, ofHost, lines: new Map<string, Sides>() };
      measures.set(key, measure);
      const of = ofHost ? it.host : it.instance;
      const sides = measure.lines.get(of) ?? { lit: [], before: [] };
      measure.lines.set(of, sides);
      sides[side].push(...it.points);
    }
  };
  book(now, 'lit');
  book(then, 'before');
  return (
    [...measures.values()]
      .map(({ first, ofHost, lines }) => {
        const least = leastMove(first.unit, capacityOf(first));
        const described = [...lines].map(([of, sides]) => ({
          of,
          turn: movement(values(sides.before), values(sides.lit), least).turn,
          lit: drawn(sides.lit),
          before: drawn(sides.before),
        }));
        const all = [...lines.values()];
        const whole = movement(
          all.flatMap((it) => values(it.before)),
          all.flatMap((it) => values(it.lit)),
          least,
        );
        // One instance that moved is enough: it may be the one.
        const moved = described.find((it) => it.turn === 'up' || it.turn === 'down');
        return {
          name: first.name,
          unit: first.unit,
          detail: detailOf(first),
          ofHost,
          ...whole,
          turn: moved ? moved.turn : whole.turn,
          lines: described.sort((a, b) => (a.of < b.of ? -1 : 1)),
        };
      })
      // What never was anything but nothing says nothing.
      .filter((it) => it.lines.some(({ lit: a, before: b }) => [...a, ...b].some(([, value]) => value !== 0)))
      .sort((a, b) => rank(a.turn) - rank(b.turn) || Number(a.ofHost) - Number(b.ofHost) || (a.name < b.name ? -1 : 1))
  );
}

interface Sides {
  readonly lit: (readonly [number, number])[];
  readonly before: (readonly [number, number])[];
}

function detailOf({ attributes }: MeasureSeries): string {
  return Object.values(attributes).map(String).join(' ');
}

const values = (points: Sides['lit']) => points.map(([, value]) => value);
/** Points of a curve, at most: ten minutes each in a day. */
const MOST_POINTS = 144;
const drawn = (points: Sides['lit']) =>
  thinned(
    [...points].sort(([a], [b]) => a - b),
    MOST_POINTS,
  ).map(([minute, value]): [number, number] => [minute * 60_000, value]);
const rank = (it: z.output<typeof turn>) => (it === 'up' || it === 'down' ? 0 : it === 'flat' ? 1 : 2);
