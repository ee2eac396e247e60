import { z } from 'zod';
import { NO_TEXT } from '../../core/logs/textQuery.ts';
import { condition } from '../../core/scope/condition.ts';
import { measuresOf } from '../../store/measures/measures.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { rollupSums } from '../../store/rollups/rollupSums.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { describeShapes, readSummary, shapeAnswer } from '../logs/summary.ts';
import { changeAbout, changesAbout } from '../services/changesAbout.ts';
import { comparedMeasure, compareMeasures } from '../services/measures.ts';

export type ContrastMoved = z.output<typeof contrastMoved.answer>;

const HOUR_NS = 3_600_000_000_000n;
/** Names that are asked for at a time. */
const MOST_NAMES = 12;
const MOST_CHANGES = 40;
const MOST_SHAPES = 12;

export const contrastMoved = endpoint({
  path: '/api/contrast/moved',
  least: 'reader',
  summary: 'What else moved around some services: their measures, those of their hosts, and the changes that concern them.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    of: z
      .string()
      .transform((text) => text.split(',').filter((it) => it !== ''))
      .refine((names) => names.length <= MOST_NAMES, `${MOST_NAMES} names at most`)
      .meta({ description: 'Services and what they call, separated by commas.' }),
  }),
  answer: z.object({
    measures: z.array(comparedMeasure.extend({ service: z.string() })),
    shapes: z
      .array(
        shapeAnswer.pick({
          id: true,
          pieces: true,
          state: true,
          times: true,
          severity: true,
          services: true,
          lit: true,
          before: true,
        }),
      )
      .meta({
        description:
          'Message shapes of their log lines that are new, gone, or come more or less often; none of those that are rare or as before.',
      }),
    changes: z.array(changeAbout).meta({ description: 'From two hours before the window to the end of it, in order of time.' }),
  }),
  run: async ({ of, ...query }, { signal }) => {
    const { lit, before } = await windowsOf(query);
    const [instances, busy, changes] = await Promise.all([
      allInstances(),
      rollupSums('instance_minute', lit.from, lit.to),
      changesBetween(lit.from - 2n * HOUR_NS, lit.to),
    ]);
    const own = instances.filter(({ id, service }) => of.includes(service) && busy.has(id));
    const hostsOf = (name: string) => [
      ...new Set(own.filter((it) => it.service === name && it.host !== '').map(({ host }) => host)),
    ];
    const measures = await Promise.all(
      [...new Set(own.map(({ service }) => service))].map(async (service) => {
        const hosts = hostsOf(service);
        const [now, then] = await Promise.all([
          measuresOf(service, hosts, lit.from, lit.to),
          measuresOf(service, hosts, before.from, before.to),
        ]);
        return compareMeasures(now, then, service).map((it) => ({ service, ...it }));
      }),
    );
    const spoken = { where: [condition('service', 'is', ...of)], text: NO_TEXT, severities: [], shapes: [], without: [] };
    const lines = await readSummary(
      { ...spoken, from: lit.from, to: lit.to },
      { ...spoken, from: before.from, to: before.to },
      signal,
    );
    const told = describeShapes(lines.summary, lines.shapes, lines.frame).filter(
      ({ state }) => state !== 'rare' && state !== 'same',
    );
    const names = [...new Set([...of, ...own.map(({ host }) => host)])];
    return {
      measures: measures.flat(),
      // Of what is only partly read nothing is said.
      shapes: lines.building > 0 ? [] : told.slice(0, MOST_SHAPES),
      changes: changesAbout(changes, names)
        .sort((a, b) => a.at - b.at)
        .slice(-MOST_CHANGES),
    };
  },
});
