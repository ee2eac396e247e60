import { isStoreAway } from '../store/connection.ts';
import type { Kept, PreparedRequest } from '../store/keepTogether.ts';

/** What one transaction takes at most. */
const MOST_REQUESTS = 16;
const MOST_RECORDS = 2_000;

interface Waiting<T> {
  readonly request: PreparedRequest<T>;
  readonly resolve: (kept: Kept) => void;
  readonly reject: (error: unknown) => void;
}

/**
 * One writer for a signal: requests that come while a transaction is under way are kept together in the next, so that a commit, and
 * what several of them have in common, is paid for once.
 *
 * @param write keeps some requests in one transaction, all or none, and gives their answers in order
 * @returns a function that resolves when the request it was given is committed
 */
export function writeQueue<T>(
  write: (requests: readonly PreparedRequest<T>[]) => Promise<Kept[]>,
): (request: PreparedRequest<T>) => Promise<Kept> {
  const waiting: Waiting<T>[] = [];
  let isWriting = false;

  async function writeAll(): Promise<void> {
    isWriting = true;
    while (waiting.length > 0) await writeSome(takeSome());
    isWriting = false;
  }

  function takeSome(): Waiting<T>[] {
    let records = 0;
    let count = 0;
    while (
      count < waiting.length &&
      count < MOST_REQUESTS &&
      (count === 0 || records + waiting[count].request.body.accepted <= MOST_RECORDS)
    )
      records += waiting[count++].request.body.accepted;
    return waiting.splice(0, count);
  }

  async function writeSome(some: readonly Waiting<T>[]): Promise<void> {
    // The same body twice at once is one.
    const byHash = new Map<string, Waiting<T>[]>();
    for (const it of some) {
      const same = byHash.get(it.request.body.hash);
      if (same) same.push(it);
      else byHash.set(it.request.body.hash, [it]);
    }
    const each = [...byHash.values()];
    try {
      const answers = await write(each.map(([first]) => first.request));
      for (const [at, same] of each.entries())
        for (const [copy, it] of same.entries()) it.resolve(copy === 0 ? answers[at] : { ...answers[at], repeated: true });
    } catch (error) {
      // One that cannot be kept must not keep the others out.
      if (each.length > 1 && !isStoreAway(error)) for (const same of each) await writeSome(same);
      else for (const it of some) it.reject(error);
    }
  }

  return (request) =>
    new Promise((resolve, reject) => {
      waiting.push({ request, resolve, reject });
      if (!isWriting) void writeAll();
    });
}
