import { z } from 'zod';
import { readSetting, writeSetting } from './settings.ts';

const NAME = 'watched environments';

export const MOST_WATCHED = 50;
export const watchedEnvironmentsSchema = z
  .array(z.string().trim().min(1).max(100))
  .max(MOST_WATCHED)
  .transform((names) => [...new Set(names)]);

/** Environments of which it is written down who looks at raw data. */
export async function watchedEnvironments(): Promise<string[]> {
  const parsed = watchedEnvironmentsSchema.safeParse(await readSetting(NAME));
  return parsed.success ? parsed.data : [];
}

export async function writeWatchedEnvironments(names: readonly string[]): Promise<void> {
  await writeSetting(NAME, names);
}
