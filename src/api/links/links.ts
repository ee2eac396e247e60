import { z } from 'zod';
import { storable } from '../../formats/otlp/attributes/attributes.ts';
import { keepLink, linkedPath } from '../../store/settings/shortLinks.ts';
import { ApiError, endpoint } from '../endpoint.ts';

/** The longest address that browsers and what stands between them and us are sure to take. */
const LONGEST_PATH = 8_000;

/** Within the application: a second slash or a backslash would lead to another host. */
const WITHIN = /^\/(?![/\\])[^\s\\]*$/;

/** An address within the application. */
export const pathWithin = z.string().max(LONGEST_PATH).regex(WITHIN, 'not an address within the application');

const link = z.object({
  path: z.string().meta({ description: 'The path and query it leads to.' }),
  short: z.string().meta({ description: 'The short one, likewise.' }),
});

export type ShortLink = z.output<typeof link>;

export const makeLink = endpoint({
  method: 'POST',
  path: '/api/links',
  least: 'reader',
  summary: 'Gives an address within the application a short one, the same each time.',
  query: z.strictObject({ path: pathWithin }),
  answer: link,
  run: async ({ path }) => ({ path, short: `/l/${await keepLink(path)}` }),
});

export const followLink = endpoint({
  path: '/api/links/{key}',
  least: 'reader',
  summary: 'What a short link leads to.',
  query: z.strictObject({ key: z.string().max(60).transform(storable) }),
  answer: link,
  run: async ({ key }) => {
    const path = await linkedPath(key);
    if (path === undefined) throw new ApiError(404, `no link ${JSON.stringify(key)} was made here`);
    return { path, short: `/l/${key}` };
  },
});
