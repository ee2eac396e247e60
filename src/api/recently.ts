const MOST = 40;

const answers = new Map<string, { readonly at: number; readonly answer: Promise<unknown> }>();

/** What was worked out for the same question not long ago, or is just being; failures are not remembered. @param ms how long that is */
export function recently<T>(key: string, ms: number, work: () => Promise<T>): Promise<T> {
  const now = Date.now();
  const known = answers.get(key);
  if (known && now - known.at < ms) return known.answer as Promise<T>;
  const answer = work();
  answers.delete(key);
  answers.set(key, { at: now, answer });
  answer.catch(() => answers.delete(key));
  for (const oldest of answers.keys()) {
    if (answers.size <= MOST) break;
    answers.delete(oldest);
  }
  return answer;
}
