import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import { ANY_ENVIRONMENT } from '../../core/accounts/environment.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import type { Who } from '../../server/requests/requestContext.ts';
import { watchedEnvironments } from '../../store/settings/watchedEnvironments.ts';
import { noteDone } from './noteDone.ts';

/** Who looks at the same again within this time is written down once. */
const SAME_FOR_MS = 600_000;
const MOST_KNOWN = 5_000;
/** What is watched is read again after this; what is changed here is known at once. */
const KNOWN_FOR_MS = 10_000;

const noted = new LRUCache<string, true>({ max: MOST_KNOWN, ttl: SAME_FOR_MS });
let watched: { readonly at: number; readonly names: Promise<readonly string[]> } | undefined;

/** What is watched was changed: the next who looks is held against what it is now. */
export function forgetWatched(): void {
  watched = undefined;
}

function watchedNow(now = Date.now()): Promise<readonly string[]> {
  if (!watched || now - watched.at > KNOWN_FOR_MS) {
    const reading = { at: now, names: watchedEnvironments() };
    watched = reading;
    reading.names.catch(() => {
      if (watched === reading) watched = undefined;
    });
  }
  return watched.names;
}

/**
 * Writes down that somebody looked at records as they were sent, where those are of an environment that is watched. Before they are shown:
 * what cannot be written down is not shown.
 *
 * @param environments of the records; `ANY_ENVIRONMENT` for more than can be told
 */
export async function noteRaw(
  action: string,
  about: Readonly<Record<string, unknown>>,
  environments: () => readonly string[],
  who: Who,
): Promise<void> {
  if (!areAccountsOn()) return;
  const names = await watchedNow();
  if (names.length === 0) return;
  const shown = environments();
  const of = names.filter((it) => shown.includes(it) || shown.includes(ANY_ENVIRONMENT));
  if (of.length === 0) return;
  // Of one length, however much was asked.
  const key = createHash('sha256')
    .update(JSON.stringify([who.id, who.name, action, about, of]))
    .digest('base64url');
  if (noted.has(key)) return;
  await noteDone(action, { environment: of.join(', '), ...about });
  noted.set(key, true);
}
