import { NO_RULES, type OwnRules } from '../../core/profile/ownRules.ts';
import { readSetting, writeSetting } from '../settings/settings.ts';

const NAME = 'ownFrames';

/** The rules by which own code is told from libraries, as they were set last. */
export async function readOwnRules(): Promise<OwnRules> {
  return ((await readSetting(NAME)) as OwnRules | undefined) ?? NO_RULES;
}

export async function writeOwnRules(rules: OwnRules): Promise<void> {
  await writeSetting(NAME, rules);
}
