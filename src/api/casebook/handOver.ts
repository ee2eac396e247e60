import { z } from 'zod';
import { type Impact, isWorkedOut, NO_IMPACT } from '../../core/casebook/caseContent.ts';
import {
  HAND_OVER_PARTS,
  type HandOver,
  type HandOverPart,
  handOverOf,
  USUAL_PARTS,
} from '../../core/casebook/handover/handOver.ts';
import { handOverMarkdown, handOverWords } from '../../core/casebook/handover/handOverMarkdown.ts';
import { HAND_OVER_FILE, handOverFileSchema } from '../../formats/casebook/caseSchema.ts';
import { type CaseRow, caseRow, keepWorked } from '../../store/casebook/cases.ts';
import { pinSource, pinsOf } from '../../store/casebook/pins.ts';
import { endShare, keepShare, sharedHandOver, sharesOf } from '../../store/casebook/shares.ts';
import { stepsOf } from '../../store/casebook/steps.ts';
import { ApiError, type Asked, endpoint, errorAnswer } from '../endpoint.ts';
import { reachedAt } from '../reachedAt.ts';
import { caseId } from './cases.ts';
import { impactOfCase } from './impact.ts';
import { noCase, personName, understood } from './makePin.ts';
import { schemaAnswer } from './schemaAnswer.ts';

export type CaseShares = z.output<typeof caseShares.answer>;

const partsText = z
  .string()
  .max(200)
  .transform((text, context): HandOverPart[] => {
    const parts = text.split(',').filter((it) => it !== '');
    const known = parts.filter((it): it is HandOverPart => HAND_OVER_PARTS.some((part) => part === it));
    if (known.length === parts.length) return known;
    context.addIssue({ code: 'custom', message: `a list of ${HAND_OVER_PARTS.join(', ')} is expected` });
    return z.NEVER;
  })
  .default([...USUAL_PARTS]);

const zoneText = z.string().max(60).refine(isZone, 'no time zone').default('UTC');

function isZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}

/** The parameters of a hand-over, wherever it is asked for. */
const handOverQuery = z.strictObject({
  id: caseId,
  parts: partsText,
  zone: zoneText,
  save: z.literal('yes').optional().meta({ description: 'To be saved rather than shown.' }),
});

/** Reads which hand-over an address asks for. @throws ApiError */
export function readHandOverQuery(url: URL, id: string | undefined): z.output<typeof handOverQuery> {
  return readQuery(handOverQuery, url, { id });
}

function readQuery<Of extends z.ZodObject>(query: Of, url: URL, parameters: object): z.output<Of> {
  const asked = query.safeParse({ ...Object.fromEntries(url.searchParams), ...parameters });
  if (asked.success) return asked.data;
  throw new ApiError(400, asked.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; '));
}

/** A case as it is handed over. @param origin where the application is reached; links begin with it @throws ApiError when there is no such case */
export async function handOverFor(
  id: number,
  { parts, zone, origin }: { readonly parts: readonly HandOverPart[]; readonly zone: string; readonly origin: string },
): Promise<HandOver> {
  const [row, pins, steps] = await Promise.all([caseRow(id), pinsOf(id), stepsOf(id)]);
  if (!row) throw noCase(id);
  return handOverOf(
    { number: id, content: row.content, worked: (await workedOrNew(row)) ?? NO_IMPACT, pins, steps },
    { parts, zone, origin, now: Date.now() },
  );
}

/** The impact as it was worked out last; a case that nobody has looked at is worked out now. */
async function workedOrNew({ id, content, worked }: CaseRow): Promise<Impact | null> {
  if (!isWorkedOut(content)) return null;
  if (worked) return worked;
  const found = await impactOfCase(content, Date.now());
  if (found?.leftOut === '') await keepWorked(id, found.impact);
  return found?.impact ?? null;
}

const fileQuery = handOverQuery.extend({ format: z.enum(['markdown', 'json', 'words']).default('markdown') });

/** A hand-over as Markdown or JSON. `words`: only what is generated, for who rewrites it. */
export async function downloadHandOver({ request, url, parameters }: Asked): Promise<Response> {
  try {
    const { id, format, parts, zone } = readQuery(fileQuery, url, parameters);
    const handOver = await handOverFor(id, { parts, zone, origin: reachedAt({ request, url }) });
    if (format === 'json') return file(await jsonOf(handOver, id, parts), 'application/json', `case-${id}.json`);
    const text = format === 'words' ? handOverWords(handOver) : handOverMarkdown(handOver);
    return file(text, 'text/markdown', `case-${id}.md`);
  } catch (error) {
    return errorAnswer(error);
  }
}

async function jsonOf(handOver: HandOver, id: number, parts: readonly HandOverPart[]): Promise<string> {
  const raw: Record<string, unknown> = {};
  if (parts.includes('raw'))
    for (const figure of handOver.figures) {
      const source = await pinSource(id, figure.id);
      if (source?.raw) raw[figure.number] = JSON.parse(source.raw);
    }
  return JSON.stringify({ format: HAND_OVER_FILE, version: 1, ...handOver, ...(parts.includes('raw') ? { raw } : {}) }, null, 1);
}

/** The schema that such JSON follows. */
export const handOverSchemaFile = schemaAnswer(handOverFileSchema);

function file(text: string, type: string, name: string): Response {
  return new Response(text, {
    headers: {
      'content-type': `${type}; charset=utf-8`,
      'content-disposition': `inline; filename="${name}"`,
      'x-content-type-options': 'nosniff',
      'cache-control': 'no-store',
    },
  });
}

const share = z.object({ token: z.string(), path: z.string(), at: z.number(), by: z.string() });

export const caseShares = endpoint({
  path: '/api/casebook/{id}/shares',
  least: 'reader',
  summary: 'Frozen views of a case that can be read by whoever has their link.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({ shares: z.array(share) }),
  run: async ({ id }) => ({
    shares: (await sharesOf(id)).map(({ token, at, by }) => ({ token, path: `/casebook/read/${token}`, at: at.getTime(), by })),
  }),
});

export const makeShare = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/shares',
  least: 'responder',
  summary: 'Freezes the hand-over of a case, to be read by whoever has the link, and nothing else.',
  query: z.strictObject({
    id: caseId,
    by: personName,
    parts: z
      .array(z.enum(HAND_OVER_PARTS))
      .max(HAND_OVER_PARTS.length)
      .default([...USUAL_PARTS]),
    zone: zoneText,
    origin: z
      .url({ protocol: /^https?$/ })
      .max(300)
      .meta({ description: 'Where the application is reached; links begin with it.' }),
  }),
  answer: z.object({ token: z.string(), path: z.string() }),
  run: async ({ id, by, parts, zone, origin }) => {
    const handOver = await handOverFor(id, { parts, zone, origin: new URL(origin).origin });
    const token = await understood(() => keepShare(id, by, handOver));
    return { token, path: `/casebook/read/${token}` };
  },
});

export const stopShare = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/shares/removal',
  least: 'responder',
  summary: 'Ends a frozen view: its link leads nowhere from then on.',
  query: z.strictObject({ id: caseId, token: z.string().max(60) }),
  answer: z.object({}),
  run: async ({ id, token }) => {
    await endShare(id, token);
    return {};
  },
});

/** What a frozen view shows; undefined when its link leads nowhere. */
export async function readShare(token: string): Promise<HandOver | undefined> {
  return /^[\w-]{10,60}$/.test(token) ? sharedHandOver(token) : undefined;
}
