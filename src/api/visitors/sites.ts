import { z } from 'zod';
import { masker } from '../../core/masking/rules.ts';
import { maskPath, maskText } from '../../core/visits/pageMask.ts';
import { maskingNow } from '../../intake/masking.ts';
import { changeSites, newSiteKey, siteShape, siteShapes, sitesNow } from '../../intake/visits/sites.ts';
import { endpoint } from '../endpoint.ts';

const answer = z.object({ sites: siteShapes });
export type VisitorSites = z.output<typeof answer>;

export const visitorSites = endpoint({
  path: '/api/visitors/sites',
  least: 'reader',
  summary: 'The sites whose pages may report visits, each with its public key.',
  query: z.strictObject({}),
  answer,
  run: async () => ({ sites: [...(await sitesNow())] }),
});

export const setVisitorSites = endpoint({
  method: 'PUT',
  path: '/api/visitors/sites',
  least: 'administrator',
  summary: 'Replaces the sites. One without a key gets a new one; a key that is gone opens nothing any more.',
  query: z.strictObject({
    sites: z.array(siteShape.extend({ key: siteShape.shape.key.or(z.literal('')).default('') })).max(200),
  }),
  answer,
  run: async ({ sites }) => {
    const keyed = siteShapes.parse(sites.map((it) => ({ ...it, key: it.key || newSiteKey() })));
    await changeSites(keyed);
    return { sites: keyed };
  },
});

const masked = z.object({ text: z.string(), count: z.int() });

export const previewVisitorMasking = endpoint({
  method: 'POST',
  path: '/api/visitors/sites/preview',
  least: 'administrator',
  summary: 'What is left of a text and of an address once the page, and then the door, has masked them.',
  query: z.strictObject({ text: z.string().max(2_000).default(''), path: z.string().max(2_000).default('') }),
  answer: z.object({ page: masked, door: masked, path: z.string() }),
  run: async ({ text, path }) => {
    const page = maskText(text, 600);
    let count = 0;
    const ready = masker((await maskingNow()).rules);
    ready.begin();
    const door = ready.ofText('lantern.visit.name', page, () => {
      count++;
    });
    return {
      page: { text: page, count: page.split('•••').length - 1 },
      door: { text: door, count },
      path: maskPath(path),
    };
  },
});
