import { z } from 'zod';
import type { Condition } from '../core/scope/condition.ts';
import { parseCondition, splitConditions } from '../core/scope/conditionText.ts';
import { parseIso } from '../core/time/iso.ts';
import { type EpochNanos, parseSpanId, parseTraceId } from '../core/trace/span.ts';
import { storable } from '../formats/otlp/attributes/attributes.ts';
import type { TraceFilter } from '../store/scope/traceFilter.ts';

/** Turns text into what it means, or says what was expected. */
function meaning<T>(read: (text: string) => T | undefined, expected: string) {
  return z.string().transform((text, context): T => {
    const value = read(text);
    if (value !== undefined) return value;
    context.addIssue({ code: 'custom', message: `${JSON.stringify(text.slice(0, 80))} is not ${expected}` });
    return z.NEVER;
  });
}

/** The last nanosecond that the store holds, in the year 2262; nothing that is kept is later, and nothing is before 1970. */
const LAST_TIME = 2n ** 63n - 1n;

function readTime(text: string): EpochNanos | undefined {
  const time = parseIso(text);
  if (time === undefined) return undefined;
  return time < 0n ? 0n : time > LAST_TIME ? LAST_TIME : time;
}

function readMillis(text: string): number | undefined {
  const value = Number(text);
  return text.trim() !== '' && Number.isFinite(value) && value >= 0 ? value : undefined;
}

export const isoTime = meaning(readTime, 'an ISO 8601 time with a zone, such as 2026-05-02T14:02:00Z');
export const traceIdText = meaning(parseTraceId, 'a trace id: 32 hex digits, not all zero');
export const spanIdText = meaning(parseSpanId, 'a span id: 16 hex digits, not all zero');
const millis = meaning(readMillis, 'a number of milliseconds, 0 or more');
/** The number of a row is no larger in the store. */
const LAST_NUMBER = 2 ** 31 - 1;

/** A moment in epoch milliseconds, as a query has it. */
export const momentMs = z.coerce
  .number()
  .min(0)
  .max(Number(LAST_TIME / 1_000_000n));
/** The number of something that is kept: in a query, and in a body. */
export const numberText = z.coerce.number().int().min(0).max(LAST_NUMBER);
export const rowNumber = z.int().min(0).max(LAST_NUMBER);

/** A name as it would be kept: what the store cannot hold is replaced in the same way. */
const name = z.string().transform(storable);
export const yesNo = z.enum(['true', 'false'], { error: 'true or false is expected' }).transform((text) => text === 'true');

/** Conditions of one question: each is another look at all requests. */
const MOST_CONDITIONS = 30;

export const conditionsText = z.string().transform((text, context): Condition[] => {
  const parts = splitConditions(storable(text));
  if (parts.length > MOST_CONDITIONS) {
    context.addIssue({ code: 'custom', message: `${parts.length} conditions, ${MOST_CONDITIONS} at most` });
    return z.NEVER;
  }
  return parts.flatMap((part) => {
    const read = parseCondition(part);
    if (typeof read !== 'string') return [read];
    context.addIssue({ code: 'custom', message: read });
    return [];
  });
});

/** A whole number in a range, from text. */
export function wholeNumber(least: number, most: number, usual: number) {
  const error = `a whole number from ${least} to ${most} is expected`;
  return z.coerce.number({ error }).int({ error }).min(least, { error }).max(most, { error }).default(usual);
}

/** The narrowing that every list of traces and every figure about them takes. */
export const filterParameters = {
  from: isoTime.optional().meta({ description: 'First start of a trace, inclusive; ISO 8601.' }),
  to: isoTime.optional().meta({ description: 'First start of a trace, exclusive; ISO 8601.' }),
  service: name.optional().meta({ description: 'A service that takes part; together with operation, the one that does it.' }),
  operation: name.optional().meta({ description: 'The name of any span in the trace.' }),
  entry: name.optional().meta({ description: 'The name of the root span.' }),
  minDurationMs: millis.optional().meta({ description: "The root's duration, at least." }),
  maxDurationMs: millis.optional().meta({ description: "The root's duration, at most." }),
  failed: yesNo.optional().meta({ description: 'Whether any span of the trace failed.' }),
  where: conditionsText.optional().meta({
    description:
      'Conditions that must all hold, as in the address of a page: "ferry.route is tern-marram;duration over 3s". A field is entry, service, operation, duration, failed, user, session, or the key of an attribute of any span or resource.',
  }),
  clockOutOfRange: yesNo
    .optional()
    .meta({ description: 'true: only those whose clock was out of range; they are left out otherwise.' }),
};

type FilterQuery = z.output<z.ZodObject<typeof filterParameters>>;

/** The store's filter from the query's. */
export function traceFilter({ minDurationMs, maxDurationMs, ...rest }: FilterQuery): TraceFilter {
  return {
    ...rest,
    minDurationNs: minDurationMs === undefined ? undefined : wholeNanos(Math.ceil(minDurationMs * 1e6)),
    maxDurationNs: maxDurationMs === undefined ? undefined : wholeNanos(Math.floor(maxDurationMs * 1e6)),
  };
}

/** No duration that is kept is longer than the greatest whole number that is exact. */
function wholeNanos(ns: number): number {
  return Math.min(ns, Number.MAX_SAFE_INTEGER);
}
