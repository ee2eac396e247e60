import { currentRequest } from '../requests/requestContext.ts';
import type { FromDrawing, PageAnswer, ToDrawing } from './messages.ts';

const waiting = new Map<number, (answer: PageAnswer<unknown>) => void>();
let asked = 0;
let isListening = false;

/**
 * Asks the process that answers what a page needs that is drawn here: it knows who opens it, and has the store.
 *
 * @param page the number of the page @param key of the endpoint
 */
export function askBack<Answered>(page: number, key: string, query: Record<string, unknown>): Promise<PageAnswer<Answered>> {
  if (!isListening) {
    isListening = true;
    process.on('message', ({ number, answer }: ToDrawing) => {
      waiting.get(number)?.(answer);
      waiting.delete(number);
    });
  }
  const number = asked++;
  currentRequest()?.left.throwIfAborted();
  // Nobody waits for what is answered after the page was left.
  currentRequest()?.left.addEventListener('abort', () => waiting.delete(number), { once: true });
  return new Promise((resolve) => {
    waiting.set(number, resolve as (answer: PageAnswer<unknown>) => void);
    process.send?.({ question: { number, page, key, query } } satisfies FromDrawing);
  });
}
