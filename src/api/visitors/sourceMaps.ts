import { z } from 'zod';
import { storeSourceMap } from '../../store/visits/sourceMaps.ts';
import { ApiError, endpoint } from '../endpoint.ts';

const LONGEST = 16 * 2 ** 20;

export const putSourceMap = endpoint({
  method: 'PUT',
  path: '/api/visitors/source-maps',
  least: 'responder',
  summary:
    'Stores the source map of a file that browsers run, so that stacks of its release are shown as the code was written. The latest 2 000 are kept, 512 MiB at most.',
  runs: 'analysis',
  longestBody: LONGEST,
  query: z.strictObject({
    app: z.string().min(1).max(200),
    release: z.string().min(1).max(100),
    file: z
      .string()
      .max(200)
      .regex(/^[^/\s]+$/, 'the name of the file without its folders')
      .meta({ description: 'The file that runs, such as app.3f2a1b9c.js.' }),
    map: z.string().min(2).max(LONGEST).meta({ description: 'The source map, JSON as text.' }),
  }),
  answer: z.object({ stored: z.literal(true) }),
  run: async ({ app, release, file, map }) => {
    await storeSourceMap(app, release, file, map).catch((error: unknown) => {
      if (error instanceof SyntaxError || error instanceof TypeError || (error as Error).message === 'it names no sources')
        throw new ApiError(400, `map: this is no source map: ${(error as Error).message.slice(0, 200)}`);
      throw error;
    });
    return { stored: true as const };
  },
});
