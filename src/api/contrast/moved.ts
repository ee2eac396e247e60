import { z } from 'zod';
import { measuresOf } from '../../store/measures/measures.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { rollupSums } from '../../store/rollups/rollupSums.ts';
import { allInstances } from '../../store/rollups/traffic.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { changeAbout, changesAbout } from '../services/changesAbout.ts';
import { comparedMeasure, compareMeasures } from '../services/measures.ts';

export type ContrastMoved = z.output<typeof contrastMoved.answer>;

const HOUR_NS = 3_600_000_000_000n;
/** Names that are asked for at a time. */
const MOST_NAMES = 12;
const MOST_CHANGES = 40;

export const contrastMoved = endpoint({
  path: '/api/contrast/moved',
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
    changes: z.array(changeAbout).meta({ description: 'From two hours before the window to the end of it, in order of time.' }),
  }),
  run: async ({ of, ...query }) => {
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
    const names = [...new Set([...of, ...own.map(({ host }) => host)])];
    return {
      measures: measures.flat(),
      changes: changesAbout(changes, names)
        .sort((a, b) => a.at - b.at)
        .slice(-MOST_CHANGES),
    };
  },
});
