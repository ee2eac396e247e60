import { LRUCache } from 'lru-cache';
import { type LeftOut, noteLeftOut, withLeftOut } from '../store/scope/leftOut.ts';

const MOST = 40;

const answers = new LRUCache<string, Promise<{ result: unknown; leftOut: LeftOut }>>({ max: MOST });

/**
 * What was computed for the same question not long ago, or is being computed; failures are not remembered, nor is what had to leave
 * something out. @param ms how long that is
 */
export async function recently<T>(key: string, ms: number, work: () => Promise<T>): Promise<T> {
  let answer = answers.get(key);
  if (!answer) {
    answer = withLeftOut(work);
    answers.set(key, answer, { ttl: ms });
    const forget = () => answers.delete(key);
    answer.then(({ leftOut }) => (leftOut.unread > 0 || leftOut.building > 0) && forget(), forget);
  }
  const { result, leftOut } = await answer;
  // Whoever asks is told, also when another asked first.
  noteLeftOut(leftOut);
  return result as T;
}
