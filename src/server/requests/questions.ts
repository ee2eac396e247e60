import { LRUCache } from 'lru-cache';

/** How far the answer to a question is, of a thousand; asked about by a name that the one who asked made up. */
const MOST = 1_000;
const KEPT_MS = 120_000;

/** The pages and the process that serves them are built apart, see requestContext.ts. */
const SHARED = Symbol.for('dusk-lantern.questions');
const shared = globalThis as { [SHARED]?: LRUCache<string, number> };
shared[SHARED] ??= new LRUCache({ max: MOST, ttl: KEPT_MS });
const questions = shared[SHARED];

/** The header in which a question brings its name. */
export const QUESTION_HEADER = 'lantern-question';
const NAME = /^[0-9a-f-]{8,40}$/;

/** The name that a question may be asked about by; undefined when it has none that can be used. */
export function questionName(text: string | undefined): string | undefined {
  return text !== undefined && NAME.test(text) ? text : undefined;
}

export function noteQuestion(name: string | undefined, thousandths: number): void {
  if (name !== undefined) questions.set(name, thousandths);
}

export function forgetQuestion(name: string | undefined): void {
  if (name !== undefined) questions.delete(name);
}

/** How far a question is, of a thousand; undefined when nothing is known of it. */
export function questionProgress(name: string): number | undefined {
  return questions.get(name);
}
