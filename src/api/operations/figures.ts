import { z } from 'zod';
import { quantiles } from '../../core/measures/sketch.ts';
import type { CallFigures, StretchFigures } from '../../store/rollups/operationFigures.ts';

export const figuresAnswer = {
  calls: z.int(),
  failures: z.int(),
  meanNs: z.number().nullable().meta({ description: 'Of those that went well.' }),
  p50Ns: z.number().nullable().meta({ description: 'Of all; right to 2.2 %.' }),
  p95Ns: z.number().nullable(),
  p99Ns: z.number().nullable(),
};

/** The shares of p50, p95 and p99. */
export const SHARES = [0.5, 0.95, 0.99] as const;

/** Figures as they are answered. */
export function describeFigures({ sketch, ...sums }: CallFigures) {
  return describeSums(sums, quantiles(sketch, SHARES));
}

/** The same where quantiles are known, those of `SHARES`. */
export function describeSums(
  { calls, failures, okNs }: Pick<StretchFigures, 'calls' | 'failures' | 'okNs'>,
  [p50Ns, p95Ns, p99Ns]: StretchFigures['quantilesNs'],
) {
  return { calls, failures, meanNs: calls > failures ? okNs / (calls - failures) : null, p50Ns, p95Ns, p99Ns };
}
