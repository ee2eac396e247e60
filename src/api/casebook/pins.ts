import { z } from 'zod';
import { pinSchema, scopeSchema } from '../../formats/casebook/caseSchema.ts';
import { evidenceSchema } from '../../formats/casebook/evidenceSchema.ts';
import { caseRow } from '../../store/casebook/cases.ts';
import { pinSource, pinsOf } from '../../store/casebook/pins.ts';
import { ApiError, type Asked, endpoint, errorAnswer } from '../endpoint.ts';
import { isoTime } from '../parameters.ts';
import { caseId } from './cases.ts';
import { freeze, makePin, noCase, personName, pinRequest } from './makePin.ts';

export type PinNow = z.output<typeof pinNow.answer>;
export type CasePins = z.output<typeof casePins.answer>;

/** Bytes of what a page had drawn. */
const LARGEST_PIN = 1_500_000;

const pinId = z.string().min(1).max(60);

export const pinToCase = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/pins',
  least: 'responder',
  summary: 'Pins something to a case: a frozen copy of what a question answers now, with an entry of the log.',
  longestBody: LARGEST_PIN,
  query: z.strictObject({ id: caseId, by: personName, pin: pinRequest }),
  answer: z.object({ id: z.string(), title: z.string() }),
  run: async ({ id, by, pin }) => {
    if (!(await caseRow(id))) throw noCase(id);
    return makePin(id, by, pin, Date.now());
  },
});

export const casePins = endpoint({
  path: '/api/casebook/{id}/pins',
  least: 'reader',
  summary: 'The pins of a case, whole, in the order they were made.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({ pins: z.array(pinSchema) }),
  run: async ({ id }) => ({ pins: (await pinsOf(id)) as z.input<typeof pinSchema>[] }),
});

export const pinNow = endpoint({
  path: '/api/casebook/{id}/pins/{pin}/now',
  least: 'reader',
  summary: 'The same as a pin shows, asked again: of another window, or of its own as far as its data is still stored.',
  query: z.strictObject({
    id: caseId,
    pin: pinId,
    from: isoTime.optional().meta({ description: 'The window of its own by default.' }),
    to: isoTime.optional(),
  }),
  answer: z.object({ scope: scopeSchema, evidence: z.array(evidenceSchema) }),
  run: async ({ id, pin, from, to }) => {
    const source = await pinSource(id, pin);
    if (!source) throw new ApiError(404, `Case ${id} has no such pin.`);
    const { kind, asked } = source;
    const hasWindow = 'from' in asked.query;
    const query =
      from !== undefined && to !== undefined && hasWindow ? { ...asked.query, from: isoOf(from), to: isoOf(to) } : asked.query;
    const { frozen, scope } = await freeze(kind, { ...asked, query });
    return { scope, evidence: frozen.evidence as z.input<typeof evidenceSchema>[] };
  },
});

function isoOf(ns: bigint): string {
  return new Date(Number(ns / 1_000_000n)).toISOString();
}

/** The answer that a pin was made from, as it was. */
export async function downloadPin({ parameters }: Asked): Promise<Response> {
  try {
    const id = caseId.safeParse(parameters.id);
    const source = id.success ? await pinSource(id.data, parameters.pin) : undefined;
    if (!source) throw new ApiError(404, 'There is no such pin.');
    if (source.raw === null) throw new ApiError(404, 'The answer was too long to be stored with the pin.');
    return new Response(source.raw, {
      headers: {
        'content-type': 'application/json; charset=utf-8',
        'content-disposition': `attachment; filename="case-${id.data}-${source.kind}.json"`,
        'cache-control': 'no-store',
      },
    });
  } catch (error) {
    return errorAnswer(error);
  }
}
