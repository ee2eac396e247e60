import { sql } from 'drizzle-orm';
import { z } from 'zod';
import { database } from '../database/connection.ts';
import { setting } from '../schema/index.ts';
import { readSetting } from './settings.ts';

const NAME = 'page targets';
/** Pages of all applications that may have a target of their own. */
export const MOST_PAGE_TARGETS = 1_000;

/** The times until ready that satisfy on single pages of an application, in milliseconds, by page. */
export async function pageTargets(app: string): Promise<Map<string, number>> {
  const parsed = z.record(z.string(), z.number()).safeParse(await readSetting(NAME));
  const targets = new Map<string, number>();
  for (const [key, ms] of Object.entries(parsed.data ?? {})) {
    const [of, page] = JSON.parse(key) as [string, string];
    if (of === app) targets.set(page, ms);
  }
  return targets;
}

/**
 * Sets what satisfies on one page, in one statement: of two people who set different pages at once, neither loses theirs.
 *
 * @param ms undefined takes the page's own target away
 * @returns false when there are too many already
 */
export async function setPageTarget(app: string, page: string, ms: number | undefined): Promise<boolean> {
  const key = JSON.stringify([app, page]);
  if (ms === undefined) {
    await database().execute(sql`UPDATE setting SET value = value - ${key}::text WHERE name = ${NAME}`);
    return true;
  }
  const set = await database()
    .insert(setting)
    .values({ name: NAME, value: { [key]: ms } })
    .onConflictDoUpdate({
      target: setting.name,
      set: { value: sql`${setting.value} || excluded.value` },
      setWhere: sql`jsonb_exists(${setting.value}, ${key})
        OR (SELECT count(*) FROM jsonb_object_keys(${setting.value})) < ${MOST_PAGE_TARGETS}`,
    })
    .returning({ name: setting.name });
  return set.length > 0;
}
