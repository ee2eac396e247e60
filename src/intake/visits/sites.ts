import { randomBytes } from 'node:crypto';
import { z } from 'zod';
import { readSetting, writeSetting } from '../../store/settings/settings.ts';

/** An origin as browsers write it, or `*` for any. */
const origin = z
  .string()
  .max(200)
  .regex(/^(\*|https?:\/\/[^\s/?#]+)$/, 'write it as https://www.example.com, without a path; * for any');

/** A site whose pages may report visits. */
export const siteShape = z.strictObject({
  key: z
    .string()
    .regex(/^[\w-]{8,64}$/, '8 to 64 letters, digits, - and _')
    .meta({ description: 'Public: it stands in the pages. With it one can write visits of this site, and read nothing.' }),
  app: z.string().trim().min(1).max(100).meta({ description: 'The application that the visits are of.' }),
  environment: z.string().trim().max(100).default(''),
  origins: z.array(origin).min(1).max(50).meta({ description: 'Where its pages come from.' }),
  perMinute: z
    .int()
    .min(60)
    .max(5_000_000)
    .default(120_000)
    .meta({ description: 'Events of all its visitors that are taken in a minute.' }),
  perDay: z.int().min(1_000).max(1_000_000_000).default(20_000_000).meta({ description: 'And in a day (UTC).' }),
});
export const siteShapes = z
  .array(siteShape)
  .max(200)
  .refine((sites) => new Set(sites.map(({ key }) => key)).size === sites.length, 'two sites have the same key');

export type Site = z.output<typeof siteShape>;

const SETTING = 'sites';
/** Sites that another process has changed are seen after this. */
const FRESH_MS = 5_000;

let known: { readonly at: number; readonly sites: Promise<readonly Site[]> } | undefined;

/** The sites there are. A wrong key costs no question to the store. */
export function sitesNow(): Promise<readonly Site[]> {
  if (!known || Date.now() - known.at > FRESH_MS) {
    const sites = readSetting(SETTING).then((stored) => siteShapes.catch([]).parse(stored ?? []));
    sites.catch(() => {
      known = undefined;
    });
    known = { at: Date.now(), sites };
  }
  return known.sites;
}

export async function changeSites(sites: readonly Site[]): Promise<void> {
  await writeSetting(SETTING, sites);
  known = undefined;
}

export function newSiteKey(): string {
  return `site-${randomBytes(9).toString('base64url')}`;
}
