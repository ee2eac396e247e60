import { z } from 'zod';

/** Steps of one check. */
export const MOST_CHECK_STEPS = 60;

/** A step of a run: how long it took, and what went wrong. */
export const checkStep = z.object({
  name: z.string().max(300),
  ms: z.coerce.number().min(0),
  ok: z.boolean(),
  error: z.string().max(2_000).default(''),
});
export type CheckStep = z.output<typeof checkStep>;
