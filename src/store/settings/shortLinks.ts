import { createHash } from 'node:crypto';
import { eq } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { shortLink } from '../schema/index.ts';

const SHORTEST = 7;
const LONGEST = 40;

/** Gives an address a short key, the same one each time. */
export async function keepLink(path: string): Promise<string> {
  const digits = createHash('sha256').update(path).digest('base64url').replace(/[-_]/g, '');
  for (let length = SHORTEST; length <= LONGEST; length++) {
    const key = digits.slice(0, length);
    await database().insert(shortLink).values({ key, path }).onConflictDoNothing();
    // The key may belong to another address, whose hash begins alike.
    if ((await linkedPath(key)) === path) return key;
  }
  throw new Error('no key is left for this link');
}

/** The path that a key leads to; undefined when there is none. */
export async function linkedPath(key: string): Promise<string | undefined> {
  const [row] = await database().select({ path: shortLink.path }).from(shortLink).where(eq(shortLink.key, key));
  return row?.path;
}
