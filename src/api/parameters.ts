import { z } from 'zod';
import { parseIso } from '../core/time/iso.ts';
import { parseSpanId, parseTraceId } from '../core/trace/span.ts';
import type { TraceFilter } from '../store/traceFilter.ts';
import { ApiError } from './endpoint.ts';

/** Turns text into what it means, or says what was expected. */
function meaning<T>(read: (text: string) => T | undefined, expected: string) {
  return z.string().transform((text, context): T => {
    const value = read(text);
    if (value !== undefined) return value;
    context.addIssue({ code: 'custom', message: `${JSON.stringify(text.slice(0, 80))} is not ${expected}` });
    return z.NEVER;
  });
}

function readMillis(text: string): number | undefined {
  const value = Number(text);
  return text.trim() !== '' && Number.isFinite(value) && value >= 0 ? value : undefined;
}

export const isoTime = meaning(parseIso, 'an ISO 8601 time with a zone, such as 2026-05-02T14:02:00Z');
export const traceIdText = meaning(parseTraceId, 'a trace id: 32 hex digits, not all zero');
export const spanIdText = meaning(parseSpanId, 'a span id: 16 hex digits, not all zero');
const millis = meaning(readMillis, 'a number of milliseconds, 0 or more');
const yesNo = z.enum(['true', 'false'], { error: 'true or false is expected' }).transform((text) => text === 'true');

/** A whole number in a range, from text. */
export function wholeNumber(least: number, most: number, usual: number) {
  return z.coerce.number({ error: 'a whole number is expected' }).int().min(least).max(most).default(usual);
}

/** The narrowing that every list of traces and every figure about them takes. */
export const filterParameters = {
  from: isoTime.optional().meta({ description: 'First start of a trace, inclusive; ISO 8601.' }),
  to: isoTime.optional().meta({ description: 'First start of a trace, exclusive; ISO 8601.' }),
  service: z
    .string()
    .optional()
    .meta({ description: 'A service that takes part; together with operation, the one that does it.' }),
  operation: z.string().optional().meta({ description: 'The name of any span in the trace.' }),
  entry: z.string().optional().meta({ description: 'The name of the root span.' }),
  minDurationMs: millis.optional().meta({ description: "The root's duration, at least." }),
  maxDurationMs: millis.optional().meta({ description: "The root's duration, at most." }),
  failed: yesNo.optional().meta({ description: 'Whether any span of the trace failed.' }),
};

type FilterQuery = z.output<z.ZodObject<typeof filterParameters>>;

/** The store's filter from the query's. @throws ApiError when the window ends before it begins */
export function traceFilter({ minDurationMs, maxDurationMs, ...rest }: FilterQuery): TraceFilter {
  if (rest.from !== undefined && rest.to !== undefined && rest.to <= rest.from) throw new ApiError(400, 'to: is not after from');
  return {
    ...rest,
    minDurationNs: minDurationMs === undefined ? undefined : Math.ceil(minDurationMs * 1e6),
    maxDurationNs: maxDurationMs === undefined ? undefined : Math.floor(maxDurationMs * 1e6),
  };
}
