import { z } from 'zod';
import { quantiles, type Sketch } from '../../core/measures/sketch.ts';
import type { CallFigures } from '../../store/operationFigures.ts';

export const figuresAnswer = {
  calls: z.int(),
  failures: z.int(),
  meanNs: z.number().nullable().meta({ description: 'Of those that went well.' }),
  p50Ns: z.number().nullable().meta({ description: 'Of all; right to 2.2 %.' }),
  p95Ns: z.number().nullable(),
  p99Ns: z.number().nullable(),
};

/** Figures as they are answered. */
export function describeFigures({ calls, failures, okNs, sketch }: CallFigures) {
  return { calls, failures, meanNs: calls > failures ? okNs / (calls - failures) : null, ...percentiles(sketch) };
}

function percentiles(sketch: Sketch) {
  const [p50Ns, p95Ns, p99Ns] = quantiles(sketch, [0.5, 0.95, 0.99]);
  return { p50Ns, p95Ns, p99Ns };
}
