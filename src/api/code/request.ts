import { z } from 'zod';
import { quantiles } from '../../core/measures/sketch.ts';
import { firstOwn, streakOf } from '../../core/profile/looks.ts';
import { ownFrames } from '../../core/profile/ownRules.ts';
import { readSpans } from '../../store/blocks/readTrace.ts';
import { readOwnRules } from '../../store/profiles/ownRules.ts';
import { looksAtTrace, type RunningRow } from '../../store/profiles/running.ts';
import { sessionsBehind } from '../../store/profiles/sessionsBehind.ts';
import { sourceFiles } from '../../store/profiles/sources.ts';
import { operationFigures } from '../../store/rollups/operationFigures.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';
import { frameAnswer, lookOf, requestAnswer, waitOf } from './running.ts';

export type RunningRequest = z.output<typeof runningRequest.answer>;

const MOST_SPANS = 200;
/** Lines of source around the one that it stands on. */
const AROUND = 3;

const look = z.object({
  at: z.number(),
  ageMs: z.number(),
  wait: z.string(),
  asked: z.boolean().meta({ description: 'Whether somebody asked for it.' }),
  look: z.string(),
  frames: z.array(frameAnswer),
});

export const runningRequest = endpoint({
  path: '/api/code/running/{traceId}',
  least: 'reader',
  summary:
    'One running request: where it stands and since when, every look at it, its running statement and whom it waits for, its trace so far; and when it has ended, how.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    traceId: traceIdText,
    service: z.string().max(200).default('').meta({ description: 'Whose work on it; the one that began last by default.' }),
    instance: z.string().max(200).default(''),
  }),
  answer: z.object({
    request: requestAnswer,
    state: z.enum(['running', 'ended', 'unknown']).meta({ description: 'unknown: nothing was heard of it for a minute.' }),
    ended: z
      .object({ at: z.number(), ageMs: z.number(), outcome: z.string(), failed: z.boolean() })
      .nullable()
      .meta({ description: 'How it ended, by its span or by what its process says.' }),
    looks: z.array(look),
    source: z
      .object({ file: z.string(), version: z.string(), lines: z.array(z.object({ line: z.int(), text: z.string() })) })
      .nullable(),
    usual: z.object({ p50Ms: z.number().nullable(), p95Ms: z.number().nullable() }),
    services: z.array(z.object({ service: z.string(), instance: z.string(), operation: z.string(), ageMs: z.number() })),
    session: z
      .object({
        server: z.string(),
        waitClass: z.string(),
        waitEvent: z.string(),
        sinceMs: z.number().nullable(),
        root: z
          .object({
            session: z.string(),
            program: z.string(),
            state: z.string(),
            sinceMs: z.number().nullable(),
            statement: z.string(),
            behind: z.int(),
            traceId: z.string(),
          })
          .nullable()
          .meta({ description: 'Whom it waits for in the end.' }),
      })
      .nullable()
      .meta({ description: 'The database session that works for it, as a sampler saw it last.' }),
    spans: z.array(
      z.object({
        name: z.string(),
        service: z.string(),
        start: z.number(),
        end: z.number(),
        kind: z.string(),
        failed: z.boolean(),
      }),
    ),
  }),
  run: async ({ traceId, service, instance, ...query }) => {
    const now = Date.now();
    const [{ before }, all, rules, spans] = await Promise.all([
      windowsOf(query),
      looksAtTrace(traceId, BigInt(now + 60_000) * 1_000_000n),
      readOwnRules(),
      readSpans(traceId),
    ]);
    const parties = partiesOf(all);
    const chosen =
      parties.find((it) => it.service === service && (instance === '' || it.instance === instance)) ??
      [...parties].sort((a, b) => a.last.ageMs - (now - a.last.at) - (b.last.ageMs - (now - b.last.at)))[0];
    if (!chosen) throw new ApiError(404, `No service reported request ${traceId} as running.`);
    const isOwn = ownFrames(rules);
    const running = chosen.rows.filter(({ state }) => state === 'running');
    const last = running.at(-1) ?? chosen.last;
    const [began, seen] = [last.at - last.ageMs, running.map(lookOf)];
    const streak = streakOf(seen, isOwn);
    const own = spans.find(
      (it) => it.service === chosen.service && it.kind === 'server' && Math.abs(Number(it.start / 1_000_000n) - began) < 5_000,
    );
    const said = chosen.rows.find(({ state }) => state === 'ended');
    const ended = own
      ? {
          at: Number(own.end / 1_000_000n),
          ageMs: Number(own.end - own.start) / 1e6,
          outcome: String(own.attributes['http.response.status_code'] ?? own.statusMessage),
          failed: own.status === 'error',
        }
      : said
        ? { at: said.at, ageMs: said.ageMs, outcome: said.outcome, failed: !/^(?:[123]\d\d|ok)?$/.test(said.outcome) }
        : null;
    const session = (await sessionsBehind(new Set([traceId]), BigInt(last.at + 1_000) * 1_000_000n)).get(traceId);
    const frame = firstOwn(last.frames, isOwn);
    const state = ended ? ('ended' as const) : now - last.at > 60_000 ? ('unknown' as const) : ('running' as const);
    // Of what nothing is heard any more the age is the one last heard: it may have ended since.
    const since = (at: number) => (state === 'running' ? Math.max(0, now - at) : 0);
    return {
      request: {
        ...last,
        wait: waitOf(last, session),
        ageMs: ended ? ended.ageMs : last.ageMs + since(last.at),
        seenAt: last.at,
        since: streak?.since ?? null,
        looks: streak?.looks ?? 0,
        of: streak?.of ?? seen.length,
      },
      state,
      ended,
      looks: running.map((row) => ({
        ...lookOf(row),
        asked: row.look !== '',
        look: row.look,
        frames: row.frames.map((it) => ({ ...it, own: isOwn(it) })),
      })),
      source: frame ? await linesAround(chosen.service, frame) : null,
      usual: await usualOf(chosen.service, last.operation, before),
      services: parties.map((it) => ({
        service: it.service,
        instance: it.instance,
        operation: it.last.operation,
        ageMs: it.last.ageMs + since(it.last.at),
      })),
      session: session ?? null,
      spans: spans
        .map((it) => ({
          name: it.name,
          service: it.service,
          start: Number(it.start / 1_000n) / 1000,
          end: Number(it.end / 1_000n) / 1000,
          kind: it.kind,
          failed: it.status === 'error',
        }))
        .sort((a, b) => a.start - b.start)
        .slice(0, MOST_SPANS),
    };
  },
});

/** Who works on a request: each process that reported it, with what it reported. */
function partiesOf(rows: readonly RunningRow[]) {
  const parties = new Map<string, RunningRow[]>();
  for (const row of rows) {
    const key = `${row.service}\0${row.instance}\0${Math.round((row.at - row.ageMs) / 2000)}`;
    // The beginning is told by the clock of the report less the age: a little apart from look to look.
    const near = [-1, 0, 1].map((step) => `${row.service}\0${row.instance}\0${Math.round((row.at - row.ageMs) / 2000) + step}`);
    const known = near.find((it) => parties.has(it)) ?? key;
    parties.set(known, [...(parties.get(known) ?? []), row]);
  }
  return [...parties.values()].map((of) => ({ service: of[0].service, instance: of[0].instance, rows: of, last: of.at(-1)! }));
}

async function linesAround(service: string, { file, line }: { file: string; line: number }) {
  const source = (await sourceFiles()).find(service, file, '');
  if (!source) return null;
  const lines = source.text.split('\n');
  const first = Math.max(1, line - AROUND);
  return {
    file: source.file,
    version: source.version,
    lines: lines.slice(first - 1, line + AROUND).map((text, at) => ({ line: first + at, text })),
  };
}

async function usualOf(service: string, operation: string, { from, to }: { from: bigint; to: bigint }) {
  const own = (await operationFigures(from, to)).find((it) => it.service === service && it.name === operation);
  const [p50 = null, p95 = null] = own ? quantiles(own.sketch, [0.5, 0.95]) : [];
  return { p50Ms: p50 === null ? null : p50 / 1e6, p95Ms: p95 === null ? null : p95 / 1e6 };
}
