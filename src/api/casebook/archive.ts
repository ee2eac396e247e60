import { randomUUID } from 'node:crypto';
import { z } from 'zod';
import type { CaseContent } from '../../core/casebook/caseContent.ts';
import { CASE_FILE, caseFileSchema } from '../../formats/casebook/caseSchema.ts';
import { caseRow, createCase } from '../../store/casebook/cases.ts';
import { keepPin, pinSource, pinsOf } from '../../store/casebook/pins.ts';
import { addStep, stepsOf } from '../../store/casebook/steps.ts';
import { ApiError, type Asked, endpoint, errorAnswer } from '../endpoint.ts';
import { caseId } from './cases.ts';
import { noCase, personName, understood } from './makePin.ts';
import { schemaAnswer } from './schemaAnswer.ts';

/** Bytes of a file that is read: 200 pins of the largest kind are not, but any case that people make is. */
const LARGEST_FILE = 32 * 2 ** 20;

/** A case as a file, whole. */
export async function exportCase({ parameters }: Asked): Promise<Response> {
  try {
    const parsed = caseId.safeParse(parameters.id);
    const row = parsed.success ? await caseRow(parsed.data) : undefined;
    if (!row) throw noCase(Number(parameters.id));
    const pins = await pinsOf(row.id);
    const asked = await Promise.all(pins.map(async ({ id }) => (await pinSource(row.id, id))!.asked));
    const text = JSON.stringify(
      {
        format: CASE_FILE,
        version: 1,
        written: Date.now(),
        content: row.content,
        worked: row.worked,
        pins: pins.map((pin, at) => ({ ...pin, asked: asked[at] })),
        steps: await stepsOf(row.id),
      },
      null,
      1,
    );
    return new Response(text, {
      headers: {
        'content-type': 'application/json; charset=utf-8',
        'content-disposition': `attachment; filename="case-${row.id}.lantern-case.json"`,
        'cache-control': 'no-store',
      },
    });
  } catch (error) {
    return errorAnswer(error);
  }
}

/** The schema that such files follow. */
export const caseFileSchemaFile = schemaAnswer(caseFileSchema);

export const importCase = endpoint({
  method: 'POST',
  path: '/api/casebook/files',
  least: 'responder',
  summary: 'Reads a case from a file, as a new case.',
  longestBody: LARGEST_FILE,
  query: z.strictObject({ by: personName, file: z.unknown() }),
  answer: z.object({ id: z.int(), pins: z.int(), steps: z.int() }),
  run: async ({ by, file }) => {
    const read = caseFileSchema.safeParse(file);
    if (!read.success) {
      const [first] = read.error.issues;
      throw new ApiError(400, `This is no case: ${first.path.join('.') || 'the file'}: ${first.message}`);
    }
    const { content, pins, steps, worked } = read.data;
    // Pins have numbers that are theirs alone; the same file may be read twice.
    const fresh = new Map(pins.map(({ id }) => [id, randomUUID()]));
    const renamed = (ids: readonly string[]) => ids.flatMap((id) => fresh.get(id) ?? []);
    const own: CaseContent = {
      ...content,
      // Incidents of another installation are none of here.
      incidents: [],
      impact: worked ? { ...withoutNulls(worked), ...content.impact } : content.impact,
      entries: content.entries.map((it) => ({ ...it, pins: renamed(it.pins) })),
      hypotheses: content.hypotheses.map((it) => ({ ...it, for: renamed(it.for), against: renamed(it.against) })),
    };
    const id = await understood(() =>
      createCase(own, by, async (on, made) => {
        for (const { rawBytes: _, ...pin } of pins) await keepPin(made, { ...pin, id: fresh.get(pin.id)!, raw: '' }, on);
      }),
    );
    for (const step of steps) await addStep(id, step);
    return { id, pins: pins.length, steps: steps.length };
  },
});

function withoutNulls(values: Readonly<Record<string, number | null>>): Record<string, number> {
  return Object.fromEntries(Object.entries(values).filter((it): it is [string, number] => it[1] !== null));
}
