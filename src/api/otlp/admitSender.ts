import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { bearerToken, isOwnToken } from '../../server/accounts/accountsOn.ts';
import { errorText } from '../../server/requests/errorText.ts';
import { noteSenderUse, type SenderToken, senderTokensByHash } from '../../store/accounts/senderTokens.ts';
import { hashOf } from '../../store/accounts/tokenText.ts';

/** What a token may send; the reports of probes come with profiles. */
export type Sent = Signal | 'probes';

/** What a request held, with the names that were not known before. */
export interface Taken {
  readonly bytes: number;
  readonly records: number;
  readonly names: number;
}

/** Who sends has a token that is good. */
export interface AdmittedSender {
  /** That all it sends is of; empty for what it says itself. */
  readonly environment: string;
  /** Counts what was taken. */
  readonly sent: (taken: Taken) => void;
}

export interface TurnedAway {
  readonly status: 401 | 403 | 429;
  readonly message: string;
  /** After which to come again. */
  readonly seconds?: number;
}

/** What a token did in the minute that runs, and since that was last written down. */
interface Use {
  minute: number;
  bytes: number;
  records: number;
  names: number;
  lastUsed: number;
  refused: number;
}

/** Tokens are read again after this; what is changed here is known at once. */
const KNOWN_FOR_MS = 10_000;
const WRITTEN_EACH_MS = 15_000;
const MINUTE = 60_000;

let known: { readonly at: number; readonly byHash: Promise<Map<string, SenderToken>> } | undefined;
const uses = new Map<number, Use>();
const ANYTHING: AdmittedSender = { environment: '', sent: () => {} };

/** Tokens were changed: the next who sends is held against what they are now. */
export function forgetSenderTokens(): void {
  known = undefined;
}

/** Whether a sender may send a signal now. @throws any error of the store */
export async function admitSender(what: Sent, headers: Headers, now: number): Promise<AdmittedSender | TurnedAway> {
  const given = bearerToken(headers);
  if (given === '')
    return {
      status: 401,
      message: 'send a token of this sender: Authorization: Bearer dls_…; an administrator makes one on Intake',
    };
  if (isOwnToken(given)) return ANYTHING;
  if (!known || now - known.at > KNOWN_FOR_MS) {
    const reading = { at: now, byHash: senderTokensByHash() };
    known = reading;
    // What could not be read is asked for again by the next.
    reading.byHash.catch(() => {
      if (known === reading) known = undefined;
    });
  }
  const token = (await known.byHash).get(hashOf(given));
  if (!token) return { status: 401, message: 'this token is not known here' };
  const use = usageOf(token.id, now);
  const refusal = refusalOf(token, what, use, now);
  if (refusal) {
    use.refused++;
    return refusal;
  }
  return {
    environment: token.environment ?? '',
    sent: ({ bytes, records, names }) => {
      use.bytes += bytes;
      use.records += records;
      use.names += names;
    },
  };
}

function usageOf(id: number, now: number): Use {
  const minute = Math.floor(now / MINUTE);
  let use = uses.get(id);
  if (!use) {
    use = { minute, bytes: 0, records: 0, names: 0, lastUsed: now, refused: 0 };
    uses.set(id, use);
    if (uses.size === 1) writeLater();
  }
  if (use.minute !== minute) Object.assign(use, { minute, bytes: 0, records: 0, names: 0 });
  use.lastUsed = now;
  return use;
}

function refusalOf(token: SenderToken, what: Sent, use: Use, now: number): TurnedAway | undefined {
  if (token.expiresAt !== null && token.expiresAt.getTime() <= now)
    return { status: 401, message: `the token ${token.prefix}… has ended on ${token.expiresAt.toISOString()}` };
  if (!token.signals.includes(what === 'probes' ? 'profiles' : what))
    return { status: 403, message: `the token ${token.prefix}… is for ${token.signals.join(', ')} alone` };
  const seconds = Math.ceil((MINUTE - (now % MINUTE)) / 1000);
  // What a request holds is known when it has been read: one may go beyond the bound, the next waits for the next minute.
  for (const [most, used, unit] of [
    [token.bytesPerMinute, use.bytes, 'bytes'],
    [token.recordsPerMinute, use.records, 'records'],
    [token.namesPerMinute, use.names, 'new names'],
  ] as const)
    if (most !== null && used >= most)
      return {
        status: 429,
        seconds,
        message: `the token ${token.prefix}… may send ${most} ${unit} a minute; send the same again`,
      };
  return undefined;
}

/** Writes down once in a while what is only counted here: sending is not to wait for it. */
function writeLater(): void {
  setTimeout(async () => {
    const noted = [...uses].map(([id, { lastUsed, refused }]) => ({ id, lastUsed: new Date(lastUsed), refused }));
    const isBusy = new Set<number>();
    for (const [id, use] of uses) {
      use.refused = 0;
      if (Date.now() - use.lastUsed < MINUTE) isBusy.add(id);
    }
    for (const id of uses.keys()) if (!isBusy.has(id)) uses.delete(id);
    await noteSenderUse(noted).catch((error) => console.error(errorText(error)));
    if (uses.size > 0) writeLater();
  }, WRITTEN_EACH_MS).unref();
}
