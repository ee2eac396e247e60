import { z } from 'zod';
import { journeySchema, namedJourneys, nameJourneys } from '../../store/settings/journeys.ts';
import { ApiError, endpoint } from '../endpoint.ts';

const journeys = z.array(journeySchema).max(500);
const answer = z.object({ journeys });

export type JourneyList = z.output<typeof answer>;

export const readJourneys = endpoint({
  path: '/api/journeys',
  least: 'reader',
  summary: 'The journeys that were named: what people come to do, by entry operations, with an objective.',
  query: z.strictObject({}),
  answer,
  run: async () => ({ journeys: (await namedJourneys()).map(copied) }),
});

export const writeJourneys = endpoint({
  method: 'PUT',
  path: '/api/journeys',
  least: 'responder',
  summary: 'Names the journeys anew. An entry belongs to one journey; one that is named in none is a journey of its own.',
  query: z.strictObject({ journeys }),
  answer,
  run: async ({ journeys }) => {
    const seen = new Set<string>();
    for (const it of journeys.flatMap(({ entries }) => entries)) {
      if (seen.has(it)) throw new ApiError(400, `journeys: "${it}" is an entry of two`);
      seen.add(it);
    }
    const names = new Set(journeys.map(({ name }) => name));
    if (names.size < journeys.length) throw new ApiError(400, 'journeys: two have the same name');
    await nameJourneys(journeys);
    return { journeys };
  },
});

type Copied = z.output<typeof journeySchema>;

function copied({
  name,
  entries,
  objective,
}: {
  name: string;
  entries: readonly string[];
  objective?: Copied['objective'];
}): Copied {
  return { name, entries: [...entries], ...(objective ? { objective } : {}) };
}
