import { createHash } from 'node:crypto';
import { z } from 'zod';
import { groupKey, mentions, occurrenceOf } from '../../core/failures/group.ts';
import { messageShape } from '../../core/failures/messageShape.ts';
import { operationFigures } from '../../store/rollups/operationFigures.ts';
import { isNarrowed } from '../../store/scope/traceFilter.ts';
import { type FailingSpan, failingSpans } from '../../store/traces/failingSpans.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { attributes } from '../traces/one.ts';

export type FailureList = z.output<typeof failures.answer>;
export type FailureGroup = FailureList['groups'][number];
export type Occurrences = z.output<typeof occurrences.answer>;

const BARS = 24;
const MOST_GROUPS = 200;
const MOST_OCCURRENCES = 60;
const SERVER = 2;
const CONSUMER = 5;

const parameters = {
  ...comparisonParameters,
  text: z.string().max(200).default('').meta({ description: 'Stands anywhere in type, message, stack, names or attributes.' }),
};
const group = z.object({
  id: z.string(),
  service: z.string(),
  type: z.string(),
  shape: z.string(),
  count: z.int(),
  before: z.int().meta({ description: 'How often in the before window; made as long as the lit one.' }),
  requests: z.int(),
  users: z.int(),
  first: z.number(),
  last: z.number(),
  trend: z.array(z.int()).meta({ description: 'Counts in equal parts of the lit window.' }),
  code: z.string(),
  operations: z.array(z.string()),
  passedOn: z.int().meta({ description: 'How many of them only pass on that something they called failed.' }),
});

export const failures = endpoint({
  path: '/api/failures',
  least: 'reader',
  summary: 'What failed: by exception and shape of message, by response code, by operation; lit against before.',
  runs: 'analysis',
  query: z.strictObject(parameters),
  answer: z.object({
    before: windowAnswer,
    hasBefore: z.boolean().meta({ description: 'Whether there is anything of the before window: else nothing is new.' }),
    requests: z.int().meta({ description: 'Requests with a failing span in the lit window.' }),
    read: z.int().meta({ description: 'Of these the latest that were read; the groups are of them.' }),
    groups: z.array(group),
    codes: z
      .array(z.object({ code: z.string(), count: z.int(), before: z.int() }))
      .meta({ description: 'Response codes, and how many requests have a failing span with each.' }),
    operations: z.array(
      z.object({
        service: z.string(),
        operation: z.string(),
        failing: z.int(),
        calls: z
          .int()
          .nullable()
          .meta({ description: 'null where conditions or text leave out requests: how many were made is not known then.' }),
        before: z.number().nullable(),
      }),
    ),
  }),
  run: async (query) => {
    const { text, ...rest } = query;
    const windows = await windowsOf(rest);
    const [lit, before, litFigures, beforeFigures] = await Promise.all([
      failingSpans(windows.lit),
      failingSpans(windows.before),
      operationFigures(windows.lit.from, windows.lit.to),
      operationFigures(windows.before.from, windows.before.to),
    ]);
    const scale = Number(windows.lit.to - windows.lit.from) / Number(windows.before.to - windows.before.from);
    const here = grouped(lit.spans, text);
    const there = grouped(before.spans, text);
    const from = Number(windows.lit.from / 1_000_000n);
    const long = Number(windows.lit.to / 1_000_000n) - from;
    const groups = [...here].map(([key, spans]) => {
      const it = occurrenceOf(spans[0].span);
      const times = spans.map(({ span }) => Number(span.start / 1_000_000n));
      const trend = new Array<number>(BARS).fill(0);
      for (const time of times) trend[Math.min(BARS - 1, Math.max(0, Math.floor(((time - from) / long) * BARS)))]++;
      return {
        id: idOf(key),
        service: it.service,
        type: it.type,
        shape: messageShape(it.message),
        count: spans.length,
        before: Math.round((there.get(key)?.length ?? 0) * scale),
        requests: new Set(spans.map(({ span }) => span.traceId)).size,
        users: new Set(spans.flatMap(({ user }) => user ?? [])).size,
        first: Math.min(...times),
        last: Math.max(...times),
        trend,
        code: it.code,
        operations: [...new Set(spans.map(({ span }) => span.name))],
        passedOn: spans.filter((it) => it.passesOn).length,
      };
    });
    const codesLit = requestsByCode(here);
    const codesBefore = requestsByCode(there);
    const shareBefore = new Map(beforeFigures.map((it) => [it.operationId, it.failures / it.calls]));
    return {
      before: describeWindow(windows.before),
      hasBefore: beforeFigures.length > 0,
      requests: lit.requests,
      read: lit.read,
      // Where it starts before where it is only passed on.
      groups: groups.sort((a, b) => b.count - b.passedOn - (a.count - a.passedOn) || b.count - a.count).slice(0, MOST_GROUPS),
      codes: [...codesLit]
        .map(([code, count]) => ({ code, count, before: Math.round((codesBefore.get(code) ?? 0) * scale) }))
        .sort((a, b) => b.count - a.count),
      // Conditions and text leave out requests of which the rollups know nothing.
      operations:
        text !== '' || isNarrowed(windows.lit)
          ? failingOperations(here)
          : litFigures
              .filter((it) => it.failures > 0 && (it.kind === SERVER || it.kind === CONSUMER))
              .map((it) => ({
                service: it.service,
                operation: it.name,
                failing: it.failures,
                calls: it.calls,
                before: shareBefore.get(it.operationId) ?? null,
              }))
              .sort((a, b) => b.failing - a.failing),
    };
  },
});

export const occurrences = endpoint({
  path: '/api/failures/{id}',
  least: 'reader',
  summary: 'The occurrences of one group of failures in the lit window, the latest first.',
  runs: 'analysis',
  query: z.strictObject({ ...parameters, id: z.string() }),
  answer: z.object({
    total: z.int(),
    occurrences: z.array(
      z.object({
        traceId: z.string(),
        spanId: z.string(),
        at: z.number(),
        entry: z.string(),
        operation: z.string(),
        user: z.string().nullable(),
        message: z.string(),
        stack: z.string(),
        attributes,
        resource: attributes,
      }),
    ),
  }),
  run: async ({ id, text, ...rest }) => {
    const { lit } = await windowsOf(rest);
    const { spans } = await failingSpans(lit);
    const found = [...grouped(spans, text)].find(([key]) => idOf(key) === id)?.[1];
    if (!found) throw new ApiError(404, 'No such failure in the lit window.');
    return {
      total: found.length,
      occurrences: found
        .sort((a, b) => Number(b.span.start - a.span.start))
        .slice(0, MOST_OCCURRENCES)
        .map(({ span, user, entry }) => {
          const { message, stack } = occurrenceOf(span);
          return {
            traceId: span.traceId,
            spanId: span.spanId,
            at: Number(span.start / 1_000_000n),
            entry,
            operation: span.name,
            user,
            message,
            stack,
            attributes: span.attributes,
            resource: span.resource,
          };
        }),
    };
  },
});

/** How many requests have a failing span with each response code: a code that is passed on counts once. */
function requestsByCode(groups: ReadonlyMap<string, readonly FailingSpan[]>): Map<string, number> {
  const requests = new Map<string, Set<string>>();
  for (const { span } of [...groups.values()].flat()) {
    const { code } = occurrenceOf(span);
    if (code !== '') requests.set(code, (requests.get(code) ?? new Set()).add(span.traceId));
  }
  return new Map([...requests].map(([code, { size }]) => [code, size]));
}

/** Operations of the failing spans that handle a request, those that fail most first. */
function failingOperations(groups: ReadonlyMap<string, readonly FailingSpan[]>) {
  const counts = new Map<string, { service: string; operation: string; failing: number }>();
  for (const { span } of [...groups.values()].flat()) {
    if (span.kind !== 'server' && span.kind !== 'consumer') continue;
    const key = `${span.service}\0${span.name}`;
    const known = counts.get(key) ?? { service: span.service, operation: span.name, failing: 0 };
    counts.set(key, known);
    known.failing++;
  }
  return [...counts.values()].map((it) => ({ ...it, calls: null, before: null })).sort((a, b) => b.failing - a.failing);
}

function grouped(spans: readonly FailingSpan[], text: string): Map<string, FailingSpan[]> {
  const groups = new Map<string, FailingSpan[]>();
  for (const it of spans) {
    const occurrence = occurrenceOf(it.span);
    if (text !== '' && !mentions(it.span, occurrence, text)) continue;
    const key = groupKey(occurrence);
    const group = groups.get(key);
    if (group) group.push(it);
    else groups.set(key, [it]);
  }
  return groups;
}

function idOf(key: string): string {
  return createHash('sha256').update(key).digest('hex').slice(0, 16);
}
