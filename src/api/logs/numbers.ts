import { z } from 'zod';
import { type NumberSum, percentilesOf, unitBeside } from '../../core/logs/numbers/lineNumbers.ts';
import { numbersOfLines, placeToday } from '../../store/logs/numbersOfLines.ts';
import { storedShapes } from '../../store/logs/shapes.ts';
import { expectReadings } from '../../store/scope/progress.ts';
import { lineMeasureSchema, lineMeasures, MOST_LINE_MEASURES, writeLineMeasures } from '../../store/settings/lineMeasures.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { lineParameters, lineScope } from './question.ts';

export type LineNumbersAnswer = z.output<typeof lineNumbers.answer>;
export type LineMeasureList = z.output<typeof listLineMeasures.answer>;

const summed = z.object({
  count: z.int(),
  sum: z.number(),
  mean: z.number(),
  least: z.number(),
  most: z.number(),
  p50: z.number().nullable().meta({ description: 'Right to 2.2 %; null where some are negative.' }),
  p95: z.number().nullable(),
});
const STRETCHES = 60;

export const lineNumbers = endpoint({
  path: '/api/logs/numbers',
  least: 'reader',
  summary: 'What lines of a message shape say in one place, as numbers over time, lit against before: from all of the lines.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    text: lineParameters.text,
    severity: lineParameters.severity,
    of: z.string().regex(/^[0-9a-f]{16}$/, 'the id of a message shape is expected, 16 hex digits'),
    hole: z.coerce.number().int().min(0).max(200).meta({ description: 'Which of the places where it varies, from 0.' }),
  }),
  answer: z.object({
    unit: z.string().meta({ description: 'That the lines say beside it, as a UCUM code; empty for none.' }),
    litFrom: z.number().meta({ description: 'Epoch milliseconds, as of `beforeFrom`.' }),
    beforeFrom: z.number(),
    stepMs: z.number(),
    lit: z.array(summed.nullable()).meta({ description: 'By stretch of the window; null where no line says a number.' }),
    before: z.array(summed.nullable()),
    litWhole: summed.nullable(),
    beforeWhole: summed.nullable(),
    noNumbers: z.int().meta({ description: 'Lines of both windows in which no number stands there.' }),
    building: z
      .int()
      .meta({ description: 'Stretches of ten minutes whose newest lines are still being read; they are left out.' }),
  }),
  run: async ({ of, hole, text, severity, ...query }, { signal }) => {
    const { lit, before } = await windowsOf(query);
    const shapes = await storedShapes();
    const place = placeToday({ shape: of, hole }, shapes);
    if (!place) throw new ApiError(404, 'Lines of this shape have no such place.');
    const asked = { text, severity, shape: [], without: [] };
    expectReadings(2);
    const now = await numbersOfLines(place, lineScope(lit, asked), STRETCHES, { signal });
    const then = await numbersOfLines(place, lineScope(before, asked), STRETCHES, { signal });
    return {
      unit: unitBeside(shapes.counts.template(place.shape) ?? [''], place.hole),
      litFrom: Number(lit.from / 1_000_000n),
      beforeFrom: Number(before.from / 1_000_000n),
      stepMs: Number((lit.to - lit.from) / 1_000_000n) / STRETCHES,
      lit: now.numbers.byStretch().map(described),
      before: then.numbers.byStretch().map(described),
      litWhole: described(now.numbers.whole()),
      beforeWhole: described(then.numbers.whole()),
      noNumbers: now.numbers.others + then.numbers.others,
      building: now.read.building + then.read.building,
    };
  },
});

function described(it: NumberSum | undefined): z.output<typeof summed> | null {
  if (!it) return null;
  const { count, sum, least, most } = it;
  return { count, sum, mean: sum / count, least, most, ...percentilesOf(it) };
}

const measureList = z.object({ measures: z.array(lineMeasureSchema) });

export const listLineMeasures = endpoint({
  path: '/api/logs/measures',
  least: 'reader',
  summary: 'Numbers in lines that are measures of the services that write them.',
  query: z.strictObject({}),
  answer: measureList,
  run: async () => ({ measures: await lineMeasures() }),
});

export const changeLineMeasures = endpoint({
  method: 'PUT',
  path: '/api/logs/measures',
  least: 'responder',
  summary: 'Says which numbers in lines are measures; they are so over all that is stored.',
  query: z.strictObject({ measures: z.array(lineMeasureSchema).max(MOST_LINE_MEASURES) }),
  answer: measureList,
  run: async ({ measures }) => {
    const twice = measures.find((it, at) => measures.findIndex(({ name }) => name === it.name) !== at);
    if (twice) throw new ApiError(400, `Two measures are called ${twice.name}.`);
    const shapes = await storedShapes();
    const unknown = measures.find((it) => !placeToday(it, shapes));
    if (unknown) throw new ApiError(400, `${unknown.name}: lines of this shape have no such place.`);
    await writeLineMeasures(measures);
    return { measures };
  },
});
