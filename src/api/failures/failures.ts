import { createHash } from 'node:crypto';
import { z } from 'zod';
import { FailureSums } from '../../core/failures/failureSums.ts';
import { groupKey, kindOf, mentions, occurrenceOf } from '../../core/failures/group.ts';
import { CONSUMER, SERVER } from '../../core/trace/span.ts';
import { eachFailedSpan } from '../../store/requests/failedSpans.ts';
import { operationFigures } from '../../store/rollups/operationFigures.ts';
import { isInRollups, type TraceFilter } from '../../store/scope/traceFilter.ts';
import { type FailingSpan, failingSpans, failingSpansOf } from '../../store/traces/failingSpans.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { attributes } from '../traces/one.ts';

export type FailureList = z.output<typeof failures.answer>;
export type FailureGroup = FailureList['groups'][number];
export type Occurrences = z.output<typeof occurrences.answer>;

const BARS = 24;
const MOST_GROUPS = 200;
const MOST_OCCURRENCES = 60;

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
    read: z
      .int()
      .meta({ description: 'How many of these the groups are of: all of them; with a text the latest, whose spans are read.' }),
    groups: z.array(group),
    kinds: z.int().meta({ description: 'How many kinds there are; the groups are the 200 that matter most.' }),
    others: z.int().meta({ description: 'Failing spans of kinds beyond the first 5 000, which are in no group.' }),
    codes: z
      .array(z.object({ code: z.string(), count: z.int(), before: z.int() }))
      .meta({ description: 'Response codes, and how many requests have a failing span with each.' }),
    operations: z.array(
      z.object({
        service: z.string(),
        operation: z.string(),
        failing: z.int(),
        calls: z.int().nullable().meta({
          description: 'null where conditions, text or seconds leave out requests: how many were made is not known then.',
        }),
        before: z.number().nullable(),
      }),
    ),
  }),
  run: async (query) => {
    const { text, ...rest } = query;
    const windows = await windowsOf(rest);
    const [lit, before, litFigures, beforeFigures] = await Promise.all([
      sumsOf(windows.lit, text),
      sumsOf(windows.before, text),
      operationFigures(windows.lit.from, windows.lit.to),
      operationFigures(windows.before.from, windows.before.to),
    ]);
    const scale = Number(windows.lit.to - windows.lit.from) / Number(windows.before.to - windows.before.from);
    const groups = [...lit.sums.groups].map(([key, it]) => ({
      ...it,
      id: idOf(key),
      before: Math.round((before.sums.groups.get(key)?.count ?? 0) * scale),
      users: it.users.size,
      operations: [...it.operations],
    }));
    const shareBefore = new Map(beforeFigures.map((it) => [it.operationId, it.failures / it.calls]));
    return {
      before: describeWindow(windows.before),
      hasBefore: beforeFigures.length > 0,
      requests: lit.requests,
      read: lit.read,
      kinds: lit.sums.groups.size,
      others: lit.sums.others,
      // Where it starts before where it is only passed on.
      groups: groups.sort((a, b) => b.count - b.passedOn - (a.count - a.passedOn) || b.count - a.count).slice(0, MOST_GROUPS),
      codes: [...lit.sums.codes]
        .map(([code, count]) => ({ code, count, before: Math.round((before.sums.codes.get(code) ?? 0) * scale) }))
        .sort((a, b) => b.count - a.count),
      // Conditions and text leave out requests of which the rollups know nothing.
      operations:
        text !== '' || !isInRollups(windows.lit)
          ? [...lit.sums.operations.values()]
              .map((it) => ({ ...it, calls: null, before: null }))
              .sort((a, b) => b.failing - a.failing)
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
    const { total, latest } = text === '' ? await latestOf(lit, id) : await latestWith(lit, id, text);
    if (total === 0) throw new ApiError(404, 'No such failure in the lit window.');
    return {
      total,
      occurrences: latest.map(({ span, user, entry }) => {
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

/** Counts the failures of a window: all of them; with a text those of the latest requests, whose spans are read. */
async function sumsOf(filter: TraceFilter, text: string): Promise<{ sums: FailureSums; requests: number; read: number }> {
  const sums = new FailureSums(Number(filter.from! / 1_000_000n), Number(filter.to! / 1_000_000n), BARS);
  if (text === '') {
    await eachFailedSpan(filter, (it) => sums.add(it));
    return { sums, requests: sums.requests, read: sums.requests };
  }
  const { spans, requests, read } = await failingSpans(filter);
  for (const { span, user, passesOn } of spans) {
    const occurrence = occurrenceOf(span);
    if (!mentions(span, occurrence, text)) continue;
    const { traceId, service, name: operation, kind } = span;
    const handles = kind === 'server' || kind === 'consumer';
    const atMs = Number(span.start / 1_000_000n);
    sums.add({ traceId, service, operation, handles, ...kindOf(occurrence), atMs, user, passesOn });
  }
  return { sums, requests, read };
}

interface Latest {
  readonly total: number;
  readonly latest: readonly FailingSpan[];
}

/** The latest failures of one kind, with their spans, and how many there are. */
async function latestOf(filter: TraceFilter, id: string): Promise<Latest> {
  const isOfKind = ofKind(id);
  let total = 0;
  let found: { traceId: string; atMs: number }[] = [];
  const newest = () => found.sort((a, b) => b.atMs - a.atMs).slice(0, MOST_OCCURRENCES);
  await eachFailedSpan(filter, (it) => {
    if (!isOfKind(it)) return;
    total++;
    found.push({ traceId: it.traceId, atMs: it.atMs });
    if (found.length > 50 * MOST_OCCURRENCES) found = newest();
  });
  const spans = await failingSpansOf([...new Set(newest().map(({ traceId }) => traceId))]);
  return { total, latest: latestOfKind(spans, isOfKind) };
}

/** The same for those in which a text stands. */
async function latestWith(filter: TraceFilter, id: string, text: string): Promise<Latest> {
  const { spans } = await failingSpans(filter);
  const isOfKind = ofKind(id);
  const found = spans.filter(({ span }) => mentions(span, occurrenceOf(span), text));
  const total = found.filter(({ span }) => isOfKind({ service: span.service, ...kindOf(occurrenceOf(span)) })).length;
  return { total, latest: latestOfKind(found, isOfKind) };
}

function latestOfKind(spans: readonly FailingSpan[], isOfKind: ReturnType<typeof ofKind>): FailingSpan[] {
  return spans
    .filter(({ span }) => isOfKind({ service: span.service, ...kindOf(occurrenceOf(span)) }))
    .sort((a, b) => Number(b.span.start - a.span.start))
    .slice(0, MOST_OCCURRENCES);
}

type Kind = Parameters<typeof groupKey>[0];

/** Answers that are remembered: a sender can make up any number of kinds. */
const MOST_REMEMBERED = 5_000;

/** Tells whether a failure is of the kind that has an id. */
function ofKind(id: string): (it: Kind) => boolean {
  const known = new Map<string, boolean>();
  return (it) => {
    const key = groupKey(it);
    let is = known.get(key);
    if (is === undefined) {
      is = idOf(key) === id;
      if (known.size < MOST_REMEMBERED) known.set(key, is);
    }
    return is;
  };
}

function idOf(key: string): string {
  return createHash('sha256').update(key).digest('hex').slice(0, 16);
}
