import { LRUCache } from 'lru-cache';
import type { Answered } from './answered.ts';

/** Bytes of answers that are kept; a string takes up to two a character. */
const MOST_BYTES = 64 * 2 ** 20;

const answers = new LRUCache<string, Answered>({ maxSize: MOST_BYTES, sizeCalculation: ({ json }) => 2 * json.length + 1 });

/** An answer that is being worked out, and how many wait for it. */
interface Work {
  readonly answer: Promise<Answered>;
  readonly controller: AbortController;
  waiting: number;
}

const works = new Map<string, Work>();

/**
 * What was answered to the same question not long ago, or is being worked out for another. Failures are not remembered, nor is what had to
 * leave something out. The work is given up when nobody waits for it any more.
 *
 * @param ms how long an answer is remembered
 * @throws DOMException AbortError when `signal` is aborted
 */
export function remembered(
  key: string,
  ms: number,
  work: (signal: AbortSignal) => Promise<Answered>,
  signal?: AbortSignal,
): Promise<Answered> {
  const known = answers.get(key);
  if (known) return Promise.resolve(known);
  const it = works.get(key) ?? begin(key, ms, work);
  it.waiting++;
  if (!signal) return it.answer;
  return new Promise((resolve, reject) => {
    const leave = () => {
      it.waiting--;
      if (it.waiting === 0) {
        if (works.get(key) === it) works.delete(key);
        it.controller.abort();
      }
      reject(new DOMException('nobody waits', 'AbortError'));
    };
    if (signal.aborted) return leave();
    signal.addEventListener('abort', leave, { once: true });
    it.answer.then(resolve, reject).finally(() => signal.removeEventListener('abort', leave));
  });
}

function begin(key: string, ms: number, work: (signal: AbortSignal) => Promise<Answered>): Work {
  const controller = new AbortController();
  const answer = work(controller.signal);
  const it: Work = { answer, controller, waiting: 0 };
  works.set(key, it);
  const end = () => {
    if (works.get(key) === it) works.delete(key);
  };
  answer.then((found) => {
    end();
    const { leftOut, status } = found;
    if (status === 200 && leftOut.unread === 0 && leftOut.building === 0) answers.set(key, found, { ttl: ms });
  }, end);
  return it;
}
