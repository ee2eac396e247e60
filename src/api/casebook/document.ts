import { LRUCache } from 'lru-cache';
import { z } from 'zod';
import { caseDocument, caseProgress, changeCase, changesAfter } from '../../store/casebook/cases.ts';
import { countPins } from '../../store/casebook/pins.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { numberText } from '../parameters.ts';
import { caseId } from './cases.ts';
import { noCase, personName, understood } from './makePin.ts';

export type CaseChanges = z.output<typeof caseChanges.answer>;

/** Bytes of one change as base64: pasting a long text is one. */
const LONGEST_UPDATE = 1_500_000;
/** Who asked within this time is here. */
const HERE_MS = 6_000;
const MOST_HERE = 2_000;

/** Who has which case open, as far as this process knows: it is no more than a courtesy. */
const present = new LRUCache<string, { caseId: number; by: string }>({ max: MOST_HERE, ttl: HERE_MS });

const originText = z
  .string()
  .max(60)
  .default('')
  .meta({ description: 'A name of the asking tab: its own changes are not sent back.' });

export const caseChanges = endpoint({
  path: '/api/casebook/{id}/changes',
  least: 'reader',
  summary: 'What others changed in a case since a change, as Yjs updates (base64); and who else has it open.',
  query: z.strictObject({ id: caseId, after: numberText, origin: originText, by: personName }),
  answer: z.object({
    sequence: z.int(),
    whole: z.boolean().meta({ description: 'The document whole, since the changes are no longer all stored.' }),
    updates: z.array(z.string()),
    pins: z.int().meta({ description: 'How many pins the case has.' }),
    here: z.array(z.string()).meta({ description: 'Names of others who have it open.' }),
    deleted: z.boolean(),
  }),
  run: async ({ id, after, origin, by }) => {
    const row = await caseProgress(id);
    if (!row) throw noCase(id);
    if (origin !== '') present.set(origin, { caseId: id, by });
    const here = [...present.entries()].flatMap(([key, it]) =>
      it.caseId === id && key !== origin && (by === '' || it.by !== by) ? [it.by || 'somebody'] : [],
    );
    const [changes, pins] = await Promise.all([changesAfter(id, after, row.sequence), countPins(id)]);
    const document = changes ? undefined : await caseDocument(id);
    return {
      sequence: changes?.at(-1)?.sequence ?? document?.sequence ?? row.sequence,
      whole: changes === undefined,
      updates: changes
        ? changes.filter((it) => it.origin !== origin || origin === '').map(({ body }) => body.toString('base64'))
        : document
          ? [document.doc.toString('base64')]
          : [],
      pins,
      here: [...new Set(here)],
      deleted: row.deleted !== null,
    };
  },
});

export const changeDocument = endpoint({
  method: 'POST',
  path: '/api/casebook/{id}/changes',
  least: 'responder',
  // The case keeps by itself who did it.
  audit: false,
  summary: 'Merges a change into a case. It is stored when this answers; the same change twice changes nothing.',
  longestBody: LONGEST_UPDATE + 10_000,
  query: z.strictObject({ id: caseId, update: z.base64().max(LONGEST_UPDATE), origin: originText, by: personName }),
  answer: z.object({ sequence: z.int() }),
  run: async ({ id, update, origin, by }) => {
    const bytes = Buffer.from(update, 'base64');
    if (bytes.length === 0) throw new ApiError(400, 'update: it is empty');
    const changed = await understood(() => changeCase(id, bytes, { by, origin }));
    if (!changed) throw noCase(id);
    return changed;
  },
});
