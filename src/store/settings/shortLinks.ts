import { createHash } from 'node:crypto';
import { eq, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { shortLink } from '../schema/index.ts';

const SHORTEST = 7;
const LONGEST = 40;
/** More are not kept: the oldest go first. */
const MOST_KEPT = 20_000;
/** It is looked how many there are once in so many that are made. */
const LOOKED_EACH = 100;
let made = 0;

/** Gives an address a short key, the same one each time. */
export async function keepLink(path: string): Promise<string> {
  const digits = createHash('sha256').update(path).digest('base64url').replace(/[-_]/g, '');
  for (let length = SHORTEST; length <= LONGEST; length++) {
    const key = digits.slice(0, length);
    await database().insert(shortLink).values({ key, path }).onConflictDoNothing();
    if (++made % LOOKED_EACH === 0) await dropOldest();
    // The key may belong to another address, whose hash begins alike.
    if ((await linkedPath(key)) === path) return key;
  }
  throw new Error('no key is left for this link');
}

async function dropOldest(): Promise<void> {
  await database().execute(
    sql`DELETE FROM short_link WHERE made < (SELECT made FROM short_link ORDER BY made DESC OFFSET ${MOST_KEPT} LIMIT 1)`,
  );
}

/** The path that a key leads to; undefined when there is none. */
export async function linkedPath(key: string): Promise<string | undefined> {
  const [row] = await database().select({ path: shortLink.path }).from(shortLink).where(eq(shortLink.key, key));
  return row?.path;
}
