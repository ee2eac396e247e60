import { z } from 'zod';
import { beforeAt, parseBefore } from '../core/scope/before.ts';
import { windowFault } from '../core/scope/windowLimit.ts';
import { formatIso } from '../core/time/iso.ts';
import { troubledStretches } from '../store/incidents/incidents.ts';
import { emptyStretches, storedTime } from '../store/rollups/requestSeries.ts';
import type { TraceFilter } from '../store/scope/traceFilter.ts';
import { ApiError } from './endpoint.ts';
import { filterParameters, isoTime, traceFilter } from './parameters.ts';

/** What every question takes that holds the lit window against the one before. */
export const comparisonParameters = {
  ...filterParameters,
  from: isoTime.meta({ description: 'Where the lit window begins, ISO 8601.' }),
  to: isoTime.meta({ description: 'Where it ends, exclusive.' }),
  before: z.string().default('calm').meta({
    description:
      'What it is held against: calm (the last time without an incident), just, yesterday, week, or FROM/TO in ISO 8601.',
  }),
};

type ComparisonQuery = z.output<z.ZodObject<typeof comparisonParameters>>;
export type Window = TraceFilter & { readonly from: bigint; readonly to: bigint };

const MINUTE_NS = 60_000_000_000n;

/** The two windows, both narrowed alike. @throws ApiError when a window is none, or nothing is kept */
export async function windowsOf({ before, ...rest }: ComparisonQuery): Promise<{ lit: Window; before: Window }> {
  const { from, to, ...narrowing } = traceFilter(rest);
  const chosen = parseBefore(before);
  if (!chosen) throw new ApiError(400, `before: "${before.slice(0, 60)}" is none of calm, just, yesterday, week, FROM/TO`);
  const lit = { ...narrowing, from: from!, to: to! };
  // A time of which nothing is kept is nothing to hold against.
  const isCalm = chosen.type === 'calm';
  const [kept, troubled, empty] = await Promise.all([
    storedTime(),
    isCalm ? troubledStretches() : [],
    isCalm ? emptyStretches() : [],
  ]);
  const oldest = kept ? Number(kept.from / 1_000_000n) : 0;
  const at = beforeAt(
    chosen,
    { from: Number(lit.from / 1_000_000n), to: Number(lit.to / 1_000_000n) },
    [...troubled, ...empty],
    oldest,
  );
  const start = BigInt(Math.max(0, Math.round(at.from))) * 1_000_000n;
  const end = BigInt(Math.max(1, Math.round(at.to))) * 1_000_000n;
  const fault = end > start ? windowFault(start, end) : undefined;
  if (fault) throw new ApiError(400, `before: ${fault}`);
  return { lit, before: { ...narrowing, from: start, to: end > start ? end : start + MINUTE_NS } };
}

export const windowAnswer = z.object({ from: z.string(), to: z.string() });

export function describeWindow({ from, to }: Window): { from: string; to: string } {
  return { from: formatIso(from), to: formatIso(to) };
}
