import { isDatabaseUnavailable } from '../store/database/connection.ts';
import { countingNoNames } from '../store/dictionaries/newNames.ts';
import type { Body, Committed, PreparedRequest } from '../store/ingest/commitBatch.ts';

/** What one transaction takes at most. */
const MOST_REQUESTS = 16;
const MOST_RECORDS = 2_000;
/** So long, milliseconds, those that are ready wait for those that will be soon. */
const LINGER_MS = 20;

interface Waiting<T> {
  readonly request: PreparedRequest<T>;
  readonly resolve: (kept: Committed) => void;
  readonly reject: (error: unknown) => void;
}

/**
 * One writer for a signal: requests that come while a transaction is under way, and those that are made ready at the same time, are kept
 * together in the next, so that a commit, and what several of them have in common, is paid for once.
 *
 * @param write keeps some requests in one transaction, all or none, and gives their answers in order
 * @returns a function that prepares a request, and resolves when it is committed
 */
export function writeQueue<T>(
  write: (requests: readonly PreparedRequest<T>[]) => Promise<Committed[]>,
): (body: Body, prepare: () => Promise<T>) => Promise<Committed> {
  const waiting: Waiting<T>[] = [];
  let preparing = 0;
  let isWriting = false;
  let lingering: NodeJS.Timeout | undefined;

  function writeWhenTime(): void {
    if (isWriting || waiting.length === 0) return;
    const records = waiting.reduce((sum, { request }) => sum + request.body.accepted, 0);
    if (preparing === 0 || records >= MOST_RECORDS || waiting.length >= MOST_REQUESTS) void writeAll();
    else lingering ??= setTimeout(() => void writeAll(), LINGER_MS);
  }

  async function writeAll(): Promise<void> {
    clearTimeout(lingering);
    lingering = undefined;
    isWriting = true;
    await writeSome(takeSome());
    isWriting = false;
    writeWhenTime();
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
      const answers = await countingNoNames(() => write(each.map(([first]) => first.request)));
      for (const [at, same] of each.entries())
        for (const [copy, it] of same.entries()) it.resolve(copy === 0 ? answers[at] : { ...answers[at], repeated: true });
    } catch (error) {
      // One that cannot be kept must not keep the others out.
      if (each.length > 1 && !isDatabaseUnavailable(error)) for (const same of each) await writeSome(same);
      else for (const it of some) it.reject(error);
    }
  }

  return async (body, prepare) => {
    preparing++;
    let prepared: T;
    try {
      prepared = await prepare();
    } finally {
      preparing--;
    }
    const kept = new Promise<Committed>((resolve, reject) => waiting.push({ request: { body, prepared }, resolve, reject }));
    writeWhenTime();
    return kept;
  };
}
