import { AsyncLocalStorage } from 'node:async_hooks';

interface Notes {
  unread: number;
}

const notes = new AsyncLocalStorage<Notes>();

/** Runs `work` and says how many requests it had to leave out, since to find out whether they fit would have taken too long. */
export async function withUnread<T>(work: () => Promise<T>): Promise<{ result: T; unread: number }> {
  const own: Notes = { unread: 0 };
  const result = await notes.run(own, work);
  return { result, unread: own.unread };
}

/** Notes that so many requests were left out of what is being worked out. The parts of one answer leave out the same ones: the most counts. */
export function noteUnread(unread: number): void {
  const own = notes.getStore();
  if (own && unread > own.unread) own.unread = unread;
}
