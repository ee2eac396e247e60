import type { TimeKind } from './timeKind.ts';

/** What each kind of time is called. */
export const KIND_WORDS: Readonly<Record<TimeKind, string>> = {
  own: 'own code',
  db: 'statement running',
  lock: 'waiting for a lock',
  io: 'reading from disk',
  pool: 'waiting for a connection',
  remote: 'answering',
  queue: 'in the queue',
  gap: 'between services',
  backoff: 'waiting to try again',
};
