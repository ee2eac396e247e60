import { z } from 'zod';
import { readOwnRules, writeOwnRules } from '../../store/profiles/ownRules.ts';
import { endpoint } from '../endpoint.ts';

const patterns = z.array(z.string().min(1).max(200)).max(200);
const rules = z.object({
  own: patterns.meta({ description: 'Beginnings of names or files of frames that are own code; `*` stands for anything.' }),
  library: patterns.meta({ description: 'Those of libraries. Rules for own code go first.' }),
});

export type OwnCode = z.output<typeof rules>;

export const ownCode = endpoint({
  path: '/api/code/own',
  least: 'reader',
  summary: 'The rules by which frames are own code or a library, beyond what is told by itself.',
  query: z.strictObject({}),
  answer: rules,
  run: async () => {
    const { own, library } = await readOwnRules();
    return { own: [...own], library: [...library] };
  },
});

export const setOwnCode = endpoint({
  method: 'PUT',
  path: '/api/code/own',
  least: 'responder',
  summary: 'Sets the rules by which frames are own code or a library.',
  query: z.strictObject(rules.shape),
  answer: rules,
  run: async (it) => {
    await writeOwnRules(it);
    return it;
  },
});
