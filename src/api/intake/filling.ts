import { z } from 'zod';
import { fillingNow, noteFilling } from '../../intake/filling.ts';
import { endpoint } from '../endpoint.ts';

const filling = z.object({
  what: z.string().min(1).max(120).meta({ description: 'What is filled in, in a few words.' }),
  share: z.number().min(0).max(1).meta({ description: 'How much of it is there; 1 when it is done.' }),
});
const answer = z.object({ filling: filling.nullable() });

export type FillingAnswer = z.output<typeof answer>;

export const readFilling = endpoint({
  path: '/api/intake/filling',
  least: 'reader',
  summary: 'Progress of a sender that fills in earlier data; null when there is none.',
  query: z.strictObject({}),
  answer,
  run: async () => ({ filling: fillingNow() }),
});

export const tellFilling = endpoint({
  method: 'PUT',
  path: '/api/intake/filling',
  least: 'administrator',
  // It is told each second, and changes nothing.
  audit: false,
  summary: 'Reports the progress of a sender that fills in earlier data, for the pages to show.',
  query: z.strictObject(filling.shape),
  answer,
  run: async (it) => {
    noteFilling(it);
    return { filling: fillingNow() };
  },
});
