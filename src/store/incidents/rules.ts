import { z } from 'zod';
import { RULE_MEASURES, RULE_TAKES, type Rule } from '../../core/incidents/rules.ts';
import { readSetting, writeSetting } from '../settings/settings.ts';

export const ruleSchema = z.object({
  id: z.string().regex(/^[\w-]{1,40}$/),
  name: z.string().trim().min(1).max(120),
  journey: z.string().trim().min(1).max(200),
  measure: z.enum(RULE_MEASURES),
  bound: z.number().min(0).max(1e9),
  minutes: z.int().min(1).max(360),
  on: z.boolean(),
  takes: z.enum(RULE_TAKES).default('nothing'),
});

export async function readRules(): Promise<Rule[]> {
  const parsed = z.array(ruleSchema).safeParse(await readSetting('rules'));
  return parsed.success ? parsed.data : [];
}

export async function writeRules(rules: readonly Rule[]): Promise<void> {
  await writeSetting('rules', rules);
}
