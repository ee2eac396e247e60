import { setTimeout as sleep } from 'node:timers/promises';
import type { Answered } from '../answered.ts';
import { answerTo, type Endpoint } from '../endpoint.ts';

/** How often it is asked again while requests are still being indexed, and how long apart. */
const MOST_TIMES = 12;
const APART_MS = 1_500;

/** Asks a question until all that it is of is in the answer: what is kept for good is not to be of the part that was ready first. */
export async function wholeAnswer(it: Endpoint, query: Readonly<Record<string, unknown>>): Promise<Answered> {
  for (let time = 1; ; time++) {
    const answer = await answerTo(it, { ...query });
    if (answer.leftOut.building === 0 || time === MOST_TIMES) return answer;
    await sleep(APART_MS);
  }
}

/** What is not in an answer, in words; empty when all is. */
export function leftOutWords({ unread, building }: Answered['leftOut']): string {
  if (building > 0) return `${building} × 10 minutes whose requests were still being indexed`;
  return unread > 0 ? `${unread} requests whose spans would have had to be read to tell whether they fit` : '';
}
