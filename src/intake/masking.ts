import { isDeepStrictEqual } from 'node:util';
import { z } from 'zod';
import { LONGEST_PATTERN } from '../core/masking/pattern.ts';
import { DEFAULT_RULES, type Masker, type MaskRule, masker } from '../core/masking/rules.ts';
import type { SignScan } from '../formats/otlp/masking/scan.ts';
import { signFinder } from '../formats/otlp/masking/signFinder.ts';
import { readSetting, writeSetting } from '../store/settings/settings.ts';

const name = z.string().trim().min(1).max(60);
const pattern = z.string().min(1).max(LONGEST_PATTERN);
const on = z.boolean();

export const maskRule = z
  .discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('key'), name, on, pattern }),
    z.strictObject({ kind: z.literal('value'), name, on, pattern, luhn: z.boolean().optional() }),
    z.strictObject({ kind: z.literal('sql'), name, on }),
  ])
  .superRefine((rule, context) => {
    try {
      masker([{ ...rule, on: true }]);
    } catch (error) {
      context.addIssue({ code: 'custom', path: ['pattern'], message: (error as Error).message });
    }
  });
export const maskRules = z.array(maskRule).max(100);

const SETTING = 'masking';
/** Rules that another process has changed are seen after this. */
const FRESH_MS = 5_000;

let current: { rules: readonly MaskRule[]; ready: Masker; look: SignScan; at: number; changes: number } | undefined;
let changes = 0;

/** How often this thread has put other rules in force. */
export function maskingChanges(): number {
  return changes;
}

/**
 * The rules in force, made ready. While the store is away, those that were in force last.
 *
 * @param changed how often they were changed by the thread that asks, so that another does not go by what it remembers
 */
export async function maskingNow(changed = changes): Promise<{
  readonly rules: readonly MaskRule[];
  readonly ready: Masker;
  /** A look for what the rules may have to do with. */
  readonly look: SignScan;
}> {
  if (current && current.changes === changed && Date.now() - current.at < FRESH_MS) return current;
  const stored = await readSetting(SETTING).catch((error: unknown) => {
    if (!current) throw error;
    return current.rules;
  });
  const rules = stored === undefined ? DEFAULT_RULES : maskRules.parse(stored);
  const at = Date.now();
  // The same look as long as the rules are the same: what it has seen is not looked at again.
  if (current && isDeepStrictEqual(rules, current.rules)) current = { ...current, at, changes: changed };
  else {
    const ready = masker(rules);
    current = { rules, ready, look: signFinder(ready.signs), at, changes: changed };
  }
  return current;
}

/** Puts rules in force. What is stored already stays as it is. */
export async function changeMasking(rules: readonly MaskRule[]): Promise<void> {
  await writeSetting(SETTING, rules);
  changes++;
}
