import { z } from 'zod';
import { rewriteCase } from '../../core/casebook/doc/caseDoc.ts';
import { contentSchema, pathWithin, stepSchema } from '../../formats/casebook/caseSchema.ts';
import { storable } from '../../formats/otlp/attributes/attributes.ts';
import { caseRow, changeCase } from '../../store/casebook/cases.ts';
import { addStep, stepsOf } from '../../store/casebook/steps.ts';
import { caseVersions, versionContent } from '../../store/casebook/versions.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { numberText, rowNumber } from '../parameters.ts';
import { caseId } from './cases.ts';
import { noCase, personName, understood } from './makePin.ts';

export type CaseSteps = z.output<typeof caseSteps.answer>;
export type CaseHistory = z.output<typeof caseHistory.answer>;

export const caseSteps = endpoint({
  path: '/api/casebook/{id}/steps',
  least: 'reader',
  summary: 'The pages that were looked at while a case was open, in order.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({ steps: z.array(stepSchema) }),
  run: async ({ id }) => ({ steps: await stepsOf(id) }),
});

export const noteStep = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/steps',
  least: 'responder',
  // The case keeps by itself who did it.
  audit: false,
  summary: 'Notes that a page was looked at. The same page again is no step.',
  query: z.strictObject({ id: caseId, by: personName, path: pathWithin, title: z.string().max(300).transform(storable) }),
  answer: z.object({}),
  run: async ({ id, ...step }) => {
    const row = await caseRow(id);
    if (!row || row.deleted) throw noCase(id);
    await addStep(id, { ...step, at: Date.now() });
    return {};
  },
});

export const caseHistory = endpoint({
  path: '/api/casebook/{id}/history',
  least: 'reader',
  summary: 'Who changed what in a case, the newest first.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({
    versions: z.array(z.object({ sequence: z.int(), begun: z.number(), ended: z.number(), by: z.string(), words: z.string() })),
  }),
  run: async ({ id }) => ({
    versions: (await caseVersions(id)).map((it) => ({ ...it, begun: it.begun.getTime(), ended: it.ended.getTime() })),
  }),
});

export const caseVersion = endpoint({
  path: '/api/casebook/{id}/history/{version}',
  least: 'reader',
  summary: 'What a case said in a version.',
  query: z.strictObject({ id: caseId, version: numberText }),
  answer: z.object({ content: contentSchema }),
  run: async ({ id, version }) => {
    const content = await versionContent(id, version);
    if (!content) throw new ApiError(404, `Version ${version} of case ${id} is not stored.`);
    return { content: content as z.input<typeof contentSchema> };
  },
});

export const returnToVersion = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/history/return',
  least: 'responder',
  summary: 'Has a case say again what it said in a version. That is a change like others: it can be taken back in the same way.',
  query: z.strictObject({ id: caseId, version: rowNumber, by: personName }),
  answer: z.object({ sequence: z.int() }),
  run: async ({ id, version, by }) => {
    const content = await versionContent(id, version);
    if (!content) throw new ApiError(404, `Version ${version} of case ${id} is not stored.`);
    const changed = await understood(() => changeCase(id, (doc) => rewriteCase(doc, content), { by, origin: 'server' }));
    if (!changed) throw noCase(id);
    return changed;
  },
});
