import pg from 'pg';

/** Told of each question to the database: what is asked, and, by what it returns, how it went. */
export type QueryObserver = (statement: string) => (error: Error | undefined) => void;

let observer: QueryObserver | undefined;

/** Has all questions to the database observed from now on. For one observer, once. */
export function observeQueries(it: QueryObserver): void {
  const isFirst = observer === undefined;
  observer = it;
  if (!isFirst) return;
  const { query } = pg.Client.prototype;
  pg.Client.prototype.query = function observed(this: pg.Client, ...given: unknown[]) {
    const [first] = given;
    const statement = typeof first === 'string' ? first : (first as { text?: unknown } | undefined)?.text;
    const ended = typeof statement === 'string' ? observer?.(statement) : undefined;
    const result: unknown = Reflect.apply(query, this, given);
    // A stream of COPY is no promise: it is not observed.
    if (ended && result instanceof Promise)
      result.then(
        () => ended(undefined),
        (error: Error) => ended(error),
      );
    return result;
  } as typeof query;
}
