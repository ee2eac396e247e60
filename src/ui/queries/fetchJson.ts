import { noteAnswer } from '../state/leftOut.ts';
import { beginQuestion, endQuestion, QUESTION_HEADER } from './questions.ts';

/** An answer that is an error, in the words of the application. */
export class AnswerError extends Error {
  readonly status: number;

  constructor(status: number, message: string) {
    super(message);
    this.status = status;
  }
}

/** Asks the application. @throws AnswerError with what it said, or that it cannot be reached */
export async function fetchJson<T>(path: string, query: Record<string, string>, signal?: AbortSignal): Promise<T> {
  const parameters = new URLSearchParams(query).toString();
  const name = beginQuestion();
  const asked = fetch(parameters ? `${path}?${parameters}` : path, { signal, headers: { [QUESTION_HEADER]: name } });
  return answerOf(path, asked).finally(() => endQuestion(name)) as Promise<T>;
}

/** Sends the application a body of JSON. @throws AnswerError with what it said, or that it cannot be reached */
export async function sendJson<T>(method: 'POST' | 'PUT', path: string, body: unknown, signal?: AbortSignal): Promise<T> {
  return answerOf(
    path,
    fetch(path, { method, signal, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
  ) as Promise<T>;
}

async function answerOf(path: string, asked: Promise<Response>): Promise<unknown> {
  const answer = await asked.catch((error: Error) => {
    if (error.name === 'AbortError') throw error;
    throw new AnswerError(0, 'The application cannot be reached. Is it still running?');
  });
  noteAnswer(path, answer);
  const body = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new AnswerError(answer.status, body.error ?? `The application answered ${answer.status}.`);
  return body;
}
