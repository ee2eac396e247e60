import { z } from 'zod';
import { ANY_ENVIRONMENT } from '../../core/accounts/environment.ts';
import { DEFAULT_RULES, masker } from '../../core/masking/rules.ts';
import { maskRequest } from '../../formats/otlp/masking/maskRequest.ts';
import { SIGNALS } from '../../formats/otlp/wire/messages.ts';
import { Refusals } from '../../formats/otlp/wire/refusal.ts';
import { changeMasking, maskingNow, maskRule, maskRules } from '../../intake/masking.ts';
import { recentRequests } from '../../store/blocks/recentBlocks.ts';
import { endpoint } from '../endpoint.ts';

const rulesAnswer = z.object({
  rules: maskRules,
  defaults: maskRules.meta({ description: 'What is in force when nothing was changed.' }),
});

export type Masking = z.output<typeof rulesAnswer>;

export const masking = endpoint({
  path: '/api/intake/masking',
  least: 'reader',
  summary: 'The rules by which personal and secret things are masked before they are stored.',
  query: z.strictObject({}),
  answer: rulesAnswer,
  run: async () => ({ rules: [...(await maskingNow()).rules], defaults: [...DEFAULT_RULES] }),
});

export const setMasking = endpoint({
  method: 'PUT',
  path: '/api/intake/masking',
  least: 'administrator',
  summary: 'Replaces the rules, for data that comes from now on.',
  query: z.strictObject({ rules: maskRules }),
  answer: rulesAnswer,
  run: async ({ rules }) => {
    await changeMasking(rules);
    return { rules, defaults: [...DEFAULT_RULES] };
  },
});

const MOST_EXAMPLES = 40;
const LONGEST_SHOWN = 400;
const BLOCKS_LOOKED_AT = 6;

const previewAnswer = z.object({
  looked: z.int().meta({ description: 'Records that were looked at, the latest of each signal.' }),
  hits: z.int(),
  examples: z.array(
    z.object({ signal: z.enum(SIGNALS), rule: z.string(), key: z.string(), before: z.string(), after: z.string() }),
  ),
});

export type MaskPreview = z.output<typeof previewAnswer>;

export const previewMasking = endpoint({
  method: 'POST',
  path: '/api/intake/masking/preview',
  least: 'reader',
  summary: 'What a rule would do to the records that were stored last. Values that are already masked are not restored.',
  runs: 'analysis',
  query: z.strictObject({ rule: maskRule }),
  answer: previewAnswer,
  raw: { what: 'what a masking rule would change', of: ({ examples }) => (examples.length === 0 ? [] : [ANY_ENVIRONMENT]) },
  run: async ({ rule }) => {
    const ready = masker([{ ...rule, on: true }]);
    const examples: MaskPreview['examples'] = [];
    const seen = new Set<string>();
    let looked = 0;
    let hits = 0;
    for (const signal of SIGNALS)
      for (const request of await recentRequests(signal, BLOCKS_LOOKED_AT)) {
        looked += request.groups.reduce((sum, { records }) => sum + records.length, 0);
        maskRequest(request, signal, ready, new Refusals(), (name, key, before, after) => {
          hits++;
          // One example of each: the same text a hundred times teaches nothing.
          const id = `${signal} ${key} ${before}`;
          if (examples.length >= MOST_EXAMPLES || seen.has(id)) return;
          seen.add(id);
          examples.push({
            signal,
            rule: name,
            key,
            before: before.slice(0, LONGEST_SHOWN),
            after: after.slice(0, LONGEST_SHOWN),
          });
        });
      }
    return { looked, hits, examples };
  },
});
