import { z } from 'zod';
import { isWorkedOut } from '../../core/casebook/caseContent.ts';
import { impactSchema } from '../../formats/casebook/caseSchema.ts';
import { caseRow, keepWorked } from '../../store/casebook/cases.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { endpoint } from '../endpoint.ts';
import { caseId } from './cases.ts';
import { impactOfCase } from './impact.ts';
import { noCase } from './makePin.ts';

export type CaseImpact = z.output<typeof caseImpact.answer>;

export const caseImpact = endpoint({
  path: '/api/casebook/{id}/impact',
  least: 'reader',
  summary: 'The impact of a case as the stored data gives it now. When its time is no longer stored, as it was worked out last.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({
    impact: impactSchema.nullable().meta({ description: 'null: it is not known since when, and was never worked out.' }),
    journeys: z.array(z.string()),
    at: z.number().nullable().meta({ description: 'When it was worked out.' }),
    leftOut: z.string().meta({ description: 'What is not in these figures, in words; empty when all is.' }),
    isStored: z.boolean().meta({ description: 'Whether its time is still stored, so that these figures are of now.' }),
  }),
  run: async ({ id }) => {
    const row = await caseRow(id);
    if (!row) throw noCase(id);
    const kept = await storedTime();
    const isStored = kept !== null && row.content.since !== null && Number(kept.from / 1_000_000n) <= row.content.since;
    const now = Date.now();
    const found = isStored ? await impactOfCase(row.content, now) : undefined;
    if (!found)
      return {
        impact: isWorkedOut(row.content) ? row.worked : null,
        journeys: [],
        at: row.workedAt?.getTime() ?? null,
        leftOut: '',
        isStored: false,
      };
    // Figures of a part are not kept in place of whole ones.
    if (found.leftOut === '') await keepWorked(id, found.impact);
    return { ...found, at: now, isStored: true };
  },
});
