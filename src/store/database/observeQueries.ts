import pg from 'pg';

/** Called for each database statement: what is asked, and, by what it returns, how it went. */
export type QueryObserver = (statement: string) => (error: Error | undefined) => void;

let observer: QueryObserver | undefined;

/** Has all questions to the database observed from now on. For one observer, once. */
export function observeQueries(it: QueryObserver): void {
  const isFirst = observer === undefined;
  observer = it;
  if (!isFirst) return;
  const { query } = pg.Client.prototype;
  pg.Client.prototype.query = function observed(this: pg.Client, ...given: unknown[]) {
    const ended = observer?.(statementOf(given[0]));
    const done = given.at(-1);
    // The pool asks with a callback, who holds a connection with a promise.
    if (typeof done === 'function') {
      const told = (error: Error | undefined, ...rest: unknown[]) => {
        ended?.(error);
        return done(error, ...rest);
      };
      return Reflect.apply(query, this, [...given.slice(0, -1), told]);
    }
    const result: unknown = Reflect.apply(query, this, given);
    // A question of a kind of its own tells by `done` when it is answered.
    const answered = result instanceof Promise ? result : (result as { done?: unknown } | undefined)?.done;
    if (answered instanceof Promise)
      answered.then(
        () => ended?.(undefined),
        (error: Error) => ended?.(error),
      );
    return result;
  } as typeof query;
}

function statementOf(asked: unknown): string {
  if (typeof asked === 'string') return asked;
  const { text } = (asked ?? {}) as { text?: unknown };
  return typeof text === 'string' ? text : '';
}
