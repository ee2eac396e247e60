import { z } from 'zod';
import type { TraceId } from '../../core/trace/span.ts';
import { TIME_KINDS } from '../../core/trace/time/timeKind.ts';
import { accountLines, accountOf, HOLDERS, waitedUs } from '../../core/visits/account.ts';
import { PHASES } from '../../core/visits/loadPhases.ts';
import { LONGEST_VISIT_MS, SILENCE_MS, splitVisits } from '../../core/visits/splitVisits.ts';
import { SIGNS } from '../../core/visits/struggle.ts';
import { DETAIL, textIn, VISIT_KINDS } from '../../core/visits/visitEvent.ts';
import { type Visit, visitOf } from '../../core/visits/visitOf.ts';
import { harOf } from '../../formats/har/har.ts';
import { spansOf } from '../../store/blocks/readTrace.ts';
import { sessionEvents, type VisitEventRow } from '../../store/columns/visitSegments.ts';
import { writtenStack } from '../../store/visits/sourceMaps.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { isoTime } from '../parameters.ts';
import { analyseSpans } from '../traces/analysis.ts';

export type OneVisit = z.output<typeof oneVisit.answer>;

/** Answers whose traces are opened, the longest. */
const MOST_OPENED = 12;
const MOST_SPANS = 5_000;
/** Events that are given. */
const MOST_EVENTS = 2_000;

const part = z.object({
  from: z.number(),
  to: z.number(),
  phase: z.enum(PHASES),
  party: z.string(),
  name: z.string(),
});

const askedFor = {
  session: z.string().min(1).max(200),
  from: isoTime.meta({ description: 'About when it was: it may reach beyond.' }),
  to: isoTime,
};

export const oneVisit = endpoint({
  path: '/api/visitors/visits/{session}',
  least: 'reader',
  summary:
    'One visit: its views with their loads taken apart, what was pressed and what came of it, errors, signs of struggle, and who held the visitor up; answers of the company with where their time went.',
  runs: 'analysis',
  query: z.strictObject(askedFor),
  answer: z.object({
    session: z.string(),
    app: z.string(),
    user: z.string(),
    from: z.number().meta({ description: 'Epoch milliseconds.' }),
    to: z.number(),
    about: z.record(z.string(), z.string()),
    isNew: z.boolean().nullable(),
    more: z.array(z.tuple([z.string(), z.string()])),
    masked: z.number(),
    waitedMs: z.number(),
    others: z.array(z.number()).meta({ description: 'When other visits of the session began, epoch milliseconds.' }),
    views: z.array(
      z.object({
        page: z.string(),
        at: z.number(),
        trigger: z.string(),
        readyMs: z.number().nullable(),
        parts: z.array(part).meta({ description: 'Microseconds from the beginning of the view; they fill its load.' }),
        vitals: z.record(z.string(), z.number()),
        last: z.boolean(),
      }),
    ),
    events: z.array(
      z.object({
        at: z.number(),
        kind: z.enum(VISIT_KINDS),
        page: z.string(),
        name: z.string(),
        durationMs: z.number().nullable(),
        traceId: z.string(),
        detail: z.record(z.string(), z.union([z.string(), z.number(), z.boolean()])),
      }),
    ),
    signs: z.array(
      z.object({
        kind: z.enum(SIGNS),
        at: z.number(),
        page: z.string(),
        name: z.string(),
        presses: z.int(),
        error: z.string(),
      }),
    ),
    held: z
      .array(
        z.object({
          from: z.number(),
          to: z.number(),
          kind: z.enum(HOLDERS as [string, ...string[]]),
          party: z.string(),
          name: z.string(),
          traceId: z.string(),
        }),
      )
      .meta({ description: 'Microseconds from the beginning of the visit; they fill it.' }),
    account: z.array(z.object({ kind: z.string(), party: z.string(), us: z.number() })),
    answers: z.array(
      z.object({
        traceId: z.string(),
        name: z.string(),
        at: z.number(),
        ms: z.number(),
        operation: z.string(),
        failed: z.boolean(),
        serverMs: z.number(),
        ledger: z.array(z.object({ party: z.string(), kind: z.enum(TIME_KINDS), ns: z.number() })),
      }),
    ),
  }),
  run: async (asked) => {
    const { session } = asked;
    const { visit, others } = await readVisit(asked);
    const { app } = visit;
    const held = accountOf(visit);
    return {
      session,
      app,
      user: visit.user,
      from: visit.fromMs,
      to: visit.toMs,
      about: { ...visit.about },
      isNew: visit.isNew ?? null,
      more: visit.more.map(([name, value]): [string, string] => [name, value]),
      masked: visit.masked,
      waitedMs: waitedUs(held) / 1_000,
      others,
      views: visit.views.map((it) => ({
        page: it.page,
        at: it.atMs,
        trigger: it.trigger,
        readyMs: it.readyUs === undefined ? null : it.readyUs / 1_000,
        parts: it.parts.map((part) => ({ ...part })),
        vitals: { ...it.vitals } as Record<string, number>,
        last: it.isLast,
      })),
      events: (await withWrittenStacks(visit)).map((it) => ({
        at: it.atMs,
        kind: it.kind,
        page: it.page,
        name: it.name,
        durationMs: it.durationMs,
        traceId: it.traceId,
        detail: plain(it.detail),
      })),
      signs: visit.signs.map(({ atMs, ...it }) => ({ ...it, at: atMs })),
      held: held.map((it) => ({ ...it })),
      account: accountLines(held).map((it) => ({ ...it })),
      answers: await answersOf(visit),
    };
  },
});

/** Stacks of errors, as many as are resolved. */
const MOST_STACKS = 20;

/** The events, stacks put as the code was written. */
async function withWrittenStacks({ app, about, events }: Visit): Promise<Visit['events']> {
  let left = MOST_STACKS;
  return Promise.all(
    events.slice(0, MOST_EVENTS).map(async (it) => {
      const stack = textIn(it.detail, DETAIL.stack);
      if (stack === '' || left-- <= 0) return it;
      return { ...it, detail: { ...it.detail, [DETAIL.stack]: await writtenStack(app, about.version, stack) } };
    }),
  );
}

/** One visit of a session, and when its others began. @throws ApiError when none is kept */
async function readVisit({
  session,
  from,
  to,
}: {
  readonly session: string;
  readonly from: bigint;
  readonly to: bigint;
}): Promise<{ visit: Visit; others: number[] }> {
  const [events] = await sessionEvents([session], from - 12n * 3_600_000_000_000n, to + BigInt(LONGEST_VISIT_MS) * 1_000_000n);
  if (!events) throw new ApiError(404, `No visit of session ${session} is kept around this window.`);
  const visits = splitVisits(events);
  const own = chosenOf(visits, Number(from) / 1e6, Number(to) / 1e6);
  const [{ app, user }] = own;
  const visit = visitOf(session, app, own.find((it) => it.user !== '')?.user ?? user, own);
  return { visit, others: visits.filter((it) => it !== own).map(([{ atMs }]) => atMs) };
}

export const visitArchive = endpoint({
  path: '/api/visitors/visits/{session}/har',
  least: 'reader',
  summary: 'The page loads of one visit as an HTTP Archive 1.2, without headers, cookies and contents, which are never known.',
  runs: 'analysis',
  query: z.strictObject(askedFor),
  answer: z.object({ log: z.looseObject({ version: z.literal('1.2') }) }),
  run: async (asked) => {
    const { visit } = await readVisit(asked);
    const { log } = harOf({
      views: visit.views.map(({ page, atMs, readyUs }) => ({
        page,
        at: atMs,
        readyMs: readyUs === undefined ? null : readyUs / 1_000,
      })),
      events: visit.events.map(({ atMs, ...it }) => ({ ...it, at: atMs })),
    });
    return { log: { ...log } };
  },
});

/** Of several visits of a session the one that lies in the window, the latest of these; else the nearest. */
function chosenOf(visits: readonly VisitEventRow[][], fromMs: number, toMs: number): VisitEventRow[] {
  const within = visits.filter((it) => it[0].atMs < toMs && it.at(-1)!.atMs + SILENCE_MS > fromMs);
  if (within.length > 0) return within.at(-1)!;
  return [...visits].sort((a, b) => Math.abs(a[0].atMs - fromMs) - Math.abs(b[0].atMs - fromMs))[0];
}

function plain(detail: VisitEventRow['detail']): Record<string, string | number | boolean> {
  return Object.fromEntries(
    Object.entries(detail).filter(
      (it): it is [string, string | number | boolean] =>
        typeof it[1] === 'string' || typeof it[1] === 'number' || typeof it[1] === 'boolean',
    ),
  );
}

/** Answers of the company that took longest, with where their time went. */
async function answersOf(visit: Visit) {
  const asked = visit.events
    .filter((it) => /^[0-9a-f]{32}$/.test(it.traceId) && (it.kind === 'action' || it.kind === 'resource'))
    .sort((a, b) => (b.durationMs ?? 0) - (a.durationMs ?? 0))
    .slice(0, MOST_OPENED);
  const spans = await spansOf([...new Set(asked.map(({ traceId }) => traceId as TraceId))], MOST_SPANS);
  return asked.flatMap((it) => {
    const analysis = analyseSpans(spans.get(it.traceId as TraceId) ?? []);
    if (!analysis) return [];
    const { span } = analysis.trace.nodes[analysis.trace.roots[0]];
    return [
      {
        traceId: it.traceId,
        name: it.name,
        at: it.atMs,
        ms: it.durationMs ?? 0,
        operation: span.name,
        failed: span.status === 'error',
        serverMs: analysis.durationNs / 1e6,
        ledger: analysis.ledger.map(({ party, kind, durationNs }) => ({ party, kind, ns: durationNs })),
      },
    ];
  });
}
