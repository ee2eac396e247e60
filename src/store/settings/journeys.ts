import { z } from 'zod';
import type { Journey } from '../../core/journeys/journey.ts';
import { readSetting, writeSetting } from './settings.ts';

const NAME = 'journeys';
const text = z.string().trim().min(1).max(200);

export const journeySchema = z.object({
  name: text,
  entries: z.array(text).min(1).max(50).meta({ description: 'Names of entry operations, such as "POST /holds".' }),
  objective: z
    .object({
      withinMs: z.number().positive().optional().meta({ description: 'A request that takes longer counts as bad.' }),
      share: z.number().min(0).max(0.99999).meta({ description: 'The share of requests that must be good.' }),
    })
    .optional(),
});

/** The journeys that were named, in the order they were given. */
export async function namedJourneys(): Promise<Journey[]> {
  const parsed = z.array(journeySchema).safeParse(await readSetting(NAME));
  return parsed.success ? parsed.data : [];
}

export async function nameJourneys(journeys: readonly Journey[]): Promise<void> {
  await writeSetting(NAME, journeys);
}
