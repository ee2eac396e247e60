import { z } from 'zod';
import { totalOf } from '../../core/database/load/load.ts';
import { WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { changeAbout, changesAbout } from '../services/changesAbout.ts';
import {
  aroundOf,
  compareLoads,
  coverageOf,
  describeTide,
  emptySums,
  loadAnswer,
  loadMoves,
  nanosOf,
  stepFor,
  stretchOf,
  sumsOfAll,
  tideAnswer,
  worstAnswer,
} from './loads.ts';

export type DatabaseList = z.output<typeof databaseList.answer>;

/** Servers that are sent with their load over time. */
const MOST_DRAWN = 40;
/** Programs that wait on a server, at most. */
const MOST_PROGRAMS = 60;

export const databaseList = endpoint({
  path: '/api/databases',
  least: 'reader',
  summary: 'All sampled database servers: load by what their sessions wait for, lit against before, the worst first.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    classes: z.array(z.string()),
    servers: z.array(
      z.object({
        name: z.string(),
        cores: z.number().meta({ description: '0 when the sampler does not say.' }),
        coverage: z.number().meta({ description: 'Share of the lit window in which it was sampled.' }),
        lit: loadAnswer,
        before: loadAnswer,
        move: loadMoves,
        since: z
          .number()
          .nullable()
          .meta({ description: 'When the load moved, epoch milliseconds; null when it did not or that is not clear.' }),
        worst: worstAnswer,
        tide: tideAnswer,
      }),
    ),
    programs: z
      .array(
        z.object({
          server: z.string(),
          program: z.string(),
          lit: z.array(z.number()),
          before: z.array(z.number()),
        }),
      )
      .meta({ description: 'Who waits on them: average active sessions of each program by wait class.' }),
    changes: z.array(changeAbout),
  }),
  run: async (query) => {
    const { lit, before } = await windowsOf(query);
    const [litStretch, beforeStretch, now] = [stretchOf(lit), stretchOf(before), Date.now()];
    const around = aroundOf(litStretch, now);
    const stepMs = stepFor(around);
    const [current, reference, changes] = await Promise.all([
      sumsOfAll([around.from, litStretch.from, litStretch.to, around.to], { lit: litStretch, shown: around }, stepMs),
      sumsOfAll([beforeStretch.from, beforeStretch.to], { before: beforeStretch }, stepMs),
      changesBetween(nanosOf(around.from), nanosOf(around.to)),
    ]);
    const names = [...new Set([...current.keys(), ...reference.keys()])];
    const found = names.map((name) => {
      const { lit: sums, shown } = current.get(name) ?? { lit: emptySums(litStretch, stepMs), shown: emptySums(around, stepMs) };
      const former = reference.get(name)?.before ?? emptySums(beforeStretch, stepMs);
      return { name, sums, former, shown, compared: compareLoads(sums, former, shown) };
    });
    const rank = { up: 0, down: 1, unknown: 2, flat: 2 };
    found.sort(
      (a, b) =>
        rank[a.compared.move] - rank[b.compared.move] || growth(b.compared) - growth(a.compared) || (a.name < b.name ? -1 : 1),
    );
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      classes: [...WAIT_CLASSES],
      servers: found.map(({ name, sums, shown, compared }, index) => ({
        name,
        cores: shown.cores,
        coverage: coverageOf(sums, litStretch, now),
        ...compared,
        // Of very many servers only the worst are drawn.
        tide: describeTide(index < MOST_DRAWN ? shown.series : { ...shown.series, samples: [], counts: [] }),
      })),
      programs: found
        .flatMap(({ name, sums, former }) => {
          const [taken, takenBefore] = [totalOf(sums.series.samples), totalOf(former.series.samples)];
          const programs = new Set([...sums.cuts.program.keys(), ...former.cuts.program.keys()]);
          const average = (counts: Float64Array | undefined, of: number) =>
            WAIT_CLASSES.map((_, at) => (of === 0 ? 0 : (counts?.[at] ?? 0) / of));
          return [...programs].map((program) => ({
            server: name,
            program,
            lit: average(sums.cuts.program.get(program), taken),
            before: average(former.cuts.program.get(program), takenBefore),
          }));
        })
        .sort((a, b) => totalOf(b.lit) - totalOf(a.lit) || totalOf(b.before) - totalOf(a.before))
        .slice(0, MOST_PROGRAMS),
      changes: changesAbout(changes, names),
    };
  },
});

function growth({ lit, before }: { lit: { value: number } | null; before: { value: number } | null }): number {
  return Math.abs((lit?.value ?? 0) - (before?.value ?? 0));
}
