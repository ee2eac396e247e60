import type pg from 'pg';
import type { Tried } from '../../src/core/planbench/trial.ts';
import { median } from '../../src/core/planbench/verdict.ts';

const RUNS = 7;
/** A statement that does not end in that time is slower; its rows are not known then. */
const LONGEST_MS = 60_000;

export interface Again {
  readonly originalMs: number;
  readonly ms: number;
  /** Whether both gave as many rows with the same contents, counted by the server. */
  readonly isSame: boolean;
}

/**
 * Runs what a trial called better once more, without the trial: what it hands over (commands, settings, text) by hand on another connection, by
 * turns with the statement as it is, all rolled back; where something has to be built first, all its runs follow the first of the other. Without
 * EXPLAIN, so that it is timed in another way too.
 */
export async function runAgain(client: pg.Client, original: Tried, better: Tried): Promise<Again> {
  const timed = async (it: Tried) => {
    await client.query('SAVEPOINT run');
    await client.query(`SET LOCAL statement_timeout = ${LONGEST_MS}`);
    for (const [name, value] of Object.entries(it.settings)) await client.query('SELECT set_config($1, $2, true)', [name, value]);
    const began = performance.now();
    const print = await client
      .query<{ print: string }>(
        `SELECT count(*) || ' ' || coalesce(sum(hashtextextended(t::text, 0)::numeric), 0) AS print FROM (${it.text}) t`,
      )
      .then(
        ({ rows }) => rows[0].print,
        (error: { code?: string }) => {
          if (error.code === '57014') return undefined;
          throw error;
        },
      );
    const ms = performance.now() - began;
    await client.query('ROLLBACK TO SAVEPOINT run');
    return { ms, print };
  };
  const before: { ms: number; print: string | undefined }[] = [];
  const after: { ms: number; print: string | undefined }[] = [];
  // The index must not serve the statement as it is: each has its own transaction.
  for (let run = 0; run <= RUNS; run++) {
    await client.query('BEGIN');
    // One that does not end is not waited for again and again.
    before.push(before[0] && before[0].print === undefined ? before[0] : await timed(original));
    await client.query('ROLLBACK');
    if (run === 0 || better.commands.length === 0) {
      await client.query('BEGIN');
      for (const it of better.commands) await client.query(it);
      for (let inner = 0; inner <= (better.commands.length === 0 ? 0 : RUNS); inner++) after.push(await timed(better));
      await client.query('ROLLBACK');
    }
  }
  // The first of each is apart, as in a trial.
  return {
    originalMs: median(before.slice(1).map(({ ms }) => ms)),
    ms: median(after.slice(1).map(({ ms }) => ms)),
    isSame: new Set([...before, ...after].flatMap(({ print }) => print ?? [])).size === 1,
  };
}
