import { z } from 'zod';
import { HOLE } from '../../core/logs/template.ts';
import { decideShapes, type ShapeDecision, ShapeRefused } from '../../store/logs/decideShapes.ts';
import { ApiError, endpoint } from '../endpoint.ts';

const shapeId = z.string().regex(/^[0-9a-f]{16}$/, 'the id of a message shape is expected, 16 hex digits');
const LONGEST_VALUE = 300;

export const decideOnShapes = endpoint({
  method: 'POST',
  path: '/api/logs/shapes',
  least: 'responder',
  summary:
    'Counts message shapes together as one, or tells lines of one apart by what stands in one place; for what is stored too. Either is taken back with “as found”.',
  query: z.strictObject({
    decide: z.enum(['together', 'apart', 'as found']),
    shapes: z.array(shapeId).max(50).default([]).meta({
      description:
        'Those to be counted together, two at least; the first gives its name when their words do not stand in the same places.',
    }),
    shape: shapeId
      .optional()
      .meta({ description: 'The one that is told apart, or whose lines are to be counted as they were found.' }),
    hole: z.int().min(0).max(200).optional().meta({ description: 'Which of the places where it varies, from 0.' }),
    values: z
      .array(z.string().min(1).max(LONGEST_VALUE))
      .max(20)
      .default([])
      .meta({ description: 'Lines with one of these there become shapes of their own; all others stay together.' }),
  }),
  answer: z.object({ shapes: z.array(z.string()).meta({ description: 'The shapes that their lines are counted as now.' }) }),
  run: async (asked) => {
    try {
      return { shapes: await decideShapes(decisionOf(asked)) };
    } catch (error) {
      if (error instanceof ShapeRefused) throw new ApiError(400, error.message);
      throw error;
    }
  },
});

interface Asked {
  readonly decide: ShapeDecision['decide'];
  readonly shapes: readonly string[];
  readonly shape?: string;
  readonly hole?: number;
  readonly values: readonly string[];
}

function decisionOf({ decide, shapes, shape, hole, values }: Asked): ShapeDecision {
  if (decide === 'together') {
    if (shapes.length < 2) throw new ApiError(400, 'To count shapes together, two are needed.');
    return { decide, shapes };
  }
  if (shape === undefined) throw new ApiError(400, 'Which shape is meant is not said.');
  if (decide === 'as found') return { decide, shape };
  if (hole === undefined || values.length === 0)
    throw new ApiError(400, 'To tell lines apart, a place where they vary and values are needed.');
  if (values.some((it) => it.includes(HOLE))) throw new ApiError(400, 'A value has a control character.');
  return { decide, shape, hole, values };
}
