import { z } from 'zod';
import { type CaseContent, countedVisits, EMPTY_CASE } from '../../core/casebook/caseContent.ts';
import { addIncident } from '../../core/casebook/doc/caseDoc.ts';
import { contentSchema, impactSchema, pinSchema, stepSchema, whereText } from '../../formats/casebook/caseSchema.ts';
import { storable } from '../../formats/otlp/attributes/attributes.ts';
import { type CaseRow, caseDocument, caseRow, caseRows, changeCase, createCase, setDeleted } from '../../store/casebook/cases.ts';
import { pinsOf } from '../../store/casebook/pins.ts';
import { stepsOf } from '../../store/casebook/steps.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { numberText, rowNumber } from '../parameters.ts';
import { caseOfIncident } from './caseOfIncident.ts';
import { makePin, noCase, personName, pinRequest, understood } from './makePin.ts';

export type CaseList = z.output<typeof cases.answer>;
export type OneCase = z.output<typeof oneCase.answer>;

export const caseId = z.coerce
  .number({ error: 'the number of a case is expected' })
  .int()
  .min(1)
  .max(2 ** 31 - 1);

const short = z.object({
  id: z.int(),
  title: z.string(),
  state: contentSchema.shape.state,
  since: z.number().nullable(),
  until: z.number().nullable(),
  keptBy: z.string(),
  team: z.string(),
  incidents: z.array(z.int()),
  entries: z.int(),
  hypotheses: z.object({ open: z.int(), holds: z.int(), 'ruled out': z.int() }),
  changed: z.number(),
  deleted: z.number().nullable().meta({ description: 'When it was deleted; that can be taken back for a day.' }),
  impact: impactSchema.nullable(),
  visitsOf: z.string().meta({ description: 'The application whose visits its impact is of; empty for requests.' }),
  marks: contentSchema.shape.marks,
});

function inShort({ id, content, changed, deleted, worked }: CaseRow): z.input<typeof short> {
  const { title, state, since, until, keptBy, team, incidents, entries, hypotheses, marks } = content;
  const standing = (of: string) => hypotheses.filter((it) => it.standing === of).length;
  return {
    id,
    title,
    state,
    since,
    until,
    keptBy,
    team,
    incidents: [...incidents],
    entries: entries.length,
    hypotheses: { open: standing('open'), holds: standing('holds'), 'ruled out': standing('ruled out') },
    changed: changed.getTime(),
    deleted: deleted?.getTime() ?? null,
    impact: worked ? { ...worked, ...content.impact } : null,
    visitsOf: countedVisits(content),
    marks: [...marks],
  };
}

export const cases = endpoint({
  path: '/api/casebook',
  least: 'reader',
  summary: 'The cases, those changed last first; and those that were deleted within a day.',
  query: z.strictObject({
    text: z.string().max(200).default('').meta({ description: 'Stands anywhere in what people wrote.' }),
    id: caseId.optional().meta({ description: 'Only this case.' }),
    incident: numberText.optional().meta({ description: 'Only cases that refer to this incident.' }),
  }),
  answer: z.object({ cases: z.array(short), deleted: z.array(short) }),
  run: async ({ text, id, incident }) => {
    const sought = text.trim().toLowerCase();
    const fits = ({ content }: CaseRow) =>
      (sought === '' || textOf(content).includes(sought)) && (incident === undefined || content.incidents.includes(incident));
    if (id !== undefined) {
      const row = await caseRow(id);
      return { cases: row && !row.deleted ? [inShort(row)] : [], deleted: row?.deleted ? [inShort(row)] : [] };
    }
    const [kept, deleted] = await Promise.all([caseRows(false), caseRows(true)]);
    return { cases: kept.filter(fits).map(inShort), deleted: deleted.filter(fits).map(inShort) };
  },
});

function textOf({ title, notes, helped, team, keptBy, entries, hypotheses, asked }: CaseContent): string {
  return [title, notes, helped, team, keptBy, ...[...entries, ...hypotheses, ...asked].map((it) => it.text)]
    .join('\n')
    .toLowerCase();
}

export const createNewCase = endpoint({
  method: 'POST',
  path: '/api/casebook',
  least: 'responder',
  summary: 'Begins a case: empty, from an incident, or with something pinned.',
  query: z.strictObject({
    by: personName,
    title: z.string().trim().max(300).transform(storable).default(''),
    since: z.number().min(0).max(8.64e15).nullable().default(null),
    until: z.number().min(0).max(8.64e15).nullable().default(null),
    where: whereText.default(''),
    incident: z
      .int()
      .positive()
      .optional()
      .meta({ description: 'The case is made of this incident: its time, what moved, its pins.' }),
    pins: z.array(pinRequest).max(6).default([]),
  }),
  answer: z.object({
    id: z.int(),
    notPinned: z.array(z.string()).meta({ description: 'What could not be pinned, and why.' }),
  }),
  run: async ({ by, title, since, until, where, incident, pins }) => {
    const now = Date.now();
    const made = incident === undefined ? undefined : await caseOfIncident(incident, now);
    const content: CaseContent = {
      ...EMPTY_CASE,
      keptBy: by,
      since,
      until,
      where,
      ...made?.content,
      title: title || made?.content.title || 'A case without a title',
    };
    const id = await understood(() => createCase(content, by));
    const notPinned: string[] = [];
    for (const request of [...(made?.pins ?? []), ...pins]) {
      try {
        await makePin(id, by, request, Date.now());
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        notPinned.push(`${request.kind}: ${error.message}`);
      }
    }
    return { id, notPinned };
  },
});

export const oneCase = endpoint({
  path: '/api/casebook/{id}',
  least: 'reader',
  summary: 'A case: its document (a Yjs update, base64) with what it says, its pins and its steps.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({
    id: z.int(),
    doc: z.string(),
    sequence: z.int(),
    content: contentSchema,
    created: z.number(),
    changed: z.number(),
    deleted: z.number().nullable(),
    worked: impactSchema.nullable().meta({ description: 'The impact as it was worked out last.' }),
    workedAt: z.number().nullable(),
    pins: z.array(pinSchema),
    steps: z.array(stepSchema),
  }),
  run: async ({ id }) => {
    const [row, document, pins, steps] = await Promise.all([caseRow(id), caseDocument(id), pinsOf(id), stepsOf(id)]);
    if (!row || !document) throw noCase(id);
    return {
      id,
      doc: document.doc.toString('base64'),
      sequence: document.sequence,
      content: row.content as z.input<typeof contentSchema>,
      created: row.created.getTime(),
      changed: row.changed.getTime(),
      deleted: row.deleted?.getTime() ?? null,
      worked: row.worked,
      workedAt: row.workedAt?.getTime() ?? null,
      pins: pins as z.input<typeof pinSchema>[],
      steps,
    };
  },
});

export const deleteCase = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/removal',
  least: 'responder',
  summary: 'Deletes a case, or takes that back; it can be taken back for a day.',
  query: z.strictObject({ id: caseId, deleted: z.boolean() }),
  answer: z.object({}),
  run: async ({ id, deleted }) => {
    if (!(await setDeleted(id, deleted))) throw noCase(id);
    return {};
  },
});

export const referToIncident = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/incidents',
  least: 'responder',
  summary: 'Has a case refer to an incident.',
  query: z.strictObject({ id: caseId, incident: rowNumber, by: personName }),
  answer: z.object({}),
  run: async ({ id, incident, by }) => {
    const changed = await understood(() => changeCase(id, (doc) => addIncident(doc, incident), { by, origin: 'server' }));
    if (!changed) throw noCase(id);
    return {};
  },
});
