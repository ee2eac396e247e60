import { z } from 'zod';
import { causeWords, similarCases } from '../../core/casebook/similarCases.ts';
import { caseRows } from '../../store/casebook/cases.ts';
import { aboutOf } from '../../store/casebook/pins.ts';
import { endpoint } from '../endpoint.ts';
import { caseId } from './cases.ts';
import { noCase } from './makePin.ts';

export type SimilarCases = z.output<typeof similar.answer>;

const MOST = 8;

export const similar = endpoint({
  path: '/api/casebook/{id}/similar',
  least: 'reader',
  summary:
    'Other cases that share what distinguishes this one: parties, operations, hosts, shapes, words of the cause; with why, and what helped then.',
  query: z.strictObject({ id: caseId }),
  answer: z.object({
    compared: z.int().meta({ description: 'How many other cases were compared.' }),
    cases: z.array(
      z.object({
        id: z.int(),
        title: z.string(),
        state: z.string(),
        since: z.number().nullable(),
        likeness: z.number().meta({ description: 'From 0 to 1.' }),
        shared: z.array(z.string()).meta({ description: 'What both have, the most telling first: `kind:name`, or a word.' }),
        holds: z.array(z.string()).meta({ description: 'What was found to be the cause.' }),
        helped: z.string(),
      }),
    ),
  }),
  run: async ({ id }) => {
    const rows = await caseRows(false);
    const own = rows.find((it) => it.id === id);
    if (!own) throw noCase(id);
    const about = await aboutOf(rows.map((it) => it.id));
    const traits = rows.map((it) => ({ id: it.id, about: about.get(it.id) ?? [], words: causeWords(it.content) }));
    const found = similarCases(traits.find((it) => it.id === id)!, traits);
    const byId = new Map(rows.map((it) => [it.id, it]));
    return {
      compared: rows.length - 1,
      cases: found.slice(0, MOST).map(({ id: other, likeness, shared }) => {
        const { content } = byId.get(other)!;
        return {
          id: other,
          title: content.title,
          state: content.state,
          since: content.since,
          likeness,
          shared: [...shared],
          holds: content.hypotheses.filter(({ standing }) => standing === 'holds').map(({ text }) => text),
          helped: content.helped,
        };
      }),
    };
  },
});
