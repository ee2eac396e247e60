import { z } from 'zod';
import type { LogSummary, ValueCounts } from '../../core/logs/logSummary.ts';
import { SEVERITIES } from '../../core/logs/severity.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { lineParameters, lineScope } from './question.ts';
import { describeShapes, describeValues, readSummary, shapeAnswer, valuesAnswer } from './summary.ts';

export type LogOverview = z.output<typeof logOverview.answer>;

export const logOverview = endpoint({
  path: '/api/logs',
  least: 'reader',
  summary: 'What the lines of a window say, lit against before: counts by severity, message shapes, and the fields they carry.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, ...lineParameters }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    stepMs: z.number(),
    total: z.object({ lit: z.number(), before: z.number() }),
    building: z
      .number()
      .meta({ description: 'Stretches of ten minutes whose newest lines are still being read; they are left out.' }),
    leftOut: z.number().meta({ description: 'Records of both windows that could not be brought in order of time.' }),
    severities: z.array(z.object({ severity: z.enum(SEVERITIES), lit: z.array(z.number()), before: z.array(z.number()) })),
    shapes: z.array(shapeAnswer),
    shapesNotListed: z.object({ shapes: z.number(), lit: z.number(), before: z.number() }),
    fields: z.array(
      valuesAnswer.extend({ field: z.string(), state: z.enum(['new', 'moved', 'flat']), lit: z.number(), before: z.number() }),
    ),
    changes: z.array(z.object({ at: z.number(), title: z.string(), service: z.string() })),
  }),
  run: async ({ text, severity, shape, without, ...query }, { signal }) => {
    const { lit, before } = await windowsOf(query);
    const asked = { text, severity, shape, without };
    const { summary, shapes, frame, building, leftOut } = await readSummary(
      lineScope(lit, asked),
      lineScope(before, asked),
      signal,
    );
    const changes = await changesBetween(lit.from, lit.to);
    const described = describeShapes(summary, shapes, frame);
    const listed = described.slice(0, MOST_SHAPES);
    const others = described.slice(MOST_SHAPES);
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      stepMs: frame.stepMs,
      total: summary.totals,
      building,
      leftOut,
      severities: SEVERITIES.flatMap((it) => {
        const counts = summary.severities.get(it);
        return counts ? [{ severity: it, lit: [...counts.lit], before: [...counts.before] }] : [];
      }),
      shapes: listed,
      shapesNotListed: {
        shapes: others.length,
        lit: others.reduce((sum, it) => sum + it.lit, 0),
        before: others.reduce((sum, it) => sum + it.before, 0),
      },
      fields: describeFields(summary),
      changes: changes.map(({ at, title, service }) => ({ at, title, service })),
    };
  },
});

const MOST_SHAPES = 200;

/** A share that moved by less than this is flat. */
const MOVED = 0.05;
const ENOUGH = 30;

function describeFields({ fields }: LogSummary) {
  const rank = { new: 0, moved: 1, flat: 2 };
  return [...fields]
    .map(([field, sum]) => {
      const all = [...sum.values.values(), sum.others];
      const lit = all.reduce((total, it) => total + it[0], 0);
      const before = all.reduce((total, it) => total + it[1], 0);
      return { field, ...describeValues(sum), lit, before, state: stateOf(sum, lit, before) };
    })
    .filter(({ lit, before }) => lit + before > 0)
    .sort((a, b) => rank[a.state] - rank[b.state] || b.lit - a.lit);
}

/** What was not there before, or has another share. A field whose values differ from line to line has no share to speak of. */
function stateOf({ values: counts, others }: ValueCounts, lit: number, before: number): 'new' | 'moved' | 'flat' {
  if (lit >= ENOUGH && before === 0) return 'new';
  if (lit < ENOUGH || before < ENOUGH || others[0] + others[1] > 0) return 'flat';
  const shares = [...counts.values()].map(([now, then]) => now / lit - then / before);
  return shares.some((it) => Math.abs(it) >= MOVED) ? 'moved' : 'flat';
}
