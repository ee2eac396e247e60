import { quoted } from '../core/planbench/syntax/names.ts';
import { median } from '../core/planbench/verdict.ts';
import { type Attempt, applySettings, type Explained, explain } from './attempt.ts';
import { withName } from './findAttempts.ts';
import { isTimeout, OverLimit, type TrialSession } from './session.ts';

/** What an index took to be made. */
export interface Built {
  readonly name: string;
  readonly bytes: number;
  readonly buildMs: number;
}

const BUILD_LIMIT = '120s';
/** Rows by which the cost of writing is measured, and the fewest that say something. */
const WRITTEN_ROWS = 5_000;
const LEAST_WRITTEN = 1_000;

/**
 * Where attempts run. Without indexes to build each run is a transaction of its own; else all are parts of one transaction in which the indexes
 * were built, and each run sees those of its attempt alone. Nothing of it stays.
 */
export class Bench {
  readonly #session: TrialSession;
  readonly #writes: boolean;
  readonly #built = new Map<string, Built>();
  #isOpen = false;

  constructor(session: TrialSession, writes: boolean) {
    this.#session = session;
    this.#writes = writes;
  }

  /** Builds indexes, as long as nobody stops it. @returns those that could not be, with the reason */
  async build(definitions: readonly string[], isStopped: () => boolean): Promise<Map<string, string>> {
    const failed = new Map<string, string>();
    if (definitions.length === 0) return failed;
    await this.#session.do('BEGIN');
    this.#isOpen = true;
    await this.#session.do(`SET LOCAL statement_timeout = '${BUILD_LIMIT}'`);
    await this.#session.do("SET LOCAL idle_in_transaction_session_timeout = '60s'");
    for (const [at, definition] of definitions.entries()) {
      if (isStopped()) break;
      const name = `trial_index_${at + 1}`;
      await this.#session.do('SAVEPOINT building');
      try {
        const began = performance.now();
        await this.#session.do(withName(definition, name));
        const buildMs = performance.now() - began;
        const [{ bytes }] = await this.#session.rows<{ bytes: string }>('SELECT pg_relation_size(to_regclass($1)) AS bytes', [
          await this.#qualified(name),
        ]);
        this.#built.set(definition, { name: await this.#qualified(name), bytes: Number(bytes), buildMs });
        await this.#session.do('RELEASE SAVEPOINT building');
      } catch (error) {
        await this.#session.do('ROLLBACK TO SAVEPOINT building');
        failed.set(definition, (error as Error).message);
      }
    }
    return failed;
  }

  builtFor({ indexes }: Attempt): Built[] {
    return indexes.flatMap((definition) => this.#built.get(definition) ?? []);
  }

  /** An index lies in the schema of its table, wherever that is. */
  async #qualified(name: string): Promise<string> {
    const [it] = await this.#session.rows<{ schema: string }>(
      'SELECT n.nspname AS schema FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relname = $1 ORDER BY c.oid DESC LIMIT 1',
      [name],
    );
    return `${quoted(it.schema)}.${quoted(name)}`;
  }

  /** Does something as an attempt says, and rolls it back. @throws OverLimit when it takes longer than it may */
  async within<T>(attempt: Attempt, limitMs: number, work: (session: TrialSession) => Promise<T>): Promise<T> {
    const session = this.#session;
    const prepared = async () => {
      const own = new Set(this.builtFor(attempt).map(({ name }) => name));
      for (const { name } of this.#built.values()) if (!own.has(name)) await session.do(`DROP INDEX ${name}`);
      for (const it of attempt.statistics) await session.do(it);
      if (!this.#writes) {
        if (session.server.readRole !== '') await session.do(`SET LOCAL ROLE ${quoted(session.server.readRole)}`);
        if (this.#isOpen || attempt.statistics.length > 0) await session.do('SET LOCAL transaction_read_only = on');
      }
      await applySettings(session, attempt.settings);
      await session.do(`SET LOCAL statement_timeout = ${Math.max(1, Math.ceil(limitMs))}`);
      try {
        return await work(session);
      } catch (error) {
        if (isTimeout(error)) throw new OverLimit(`stopped after ${Math.round(limitMs)} ms`);
        throw error;
      }
    };
    if (this.#isOpen) return session.undone(prepared);
    return session.rolledBack(this.#writes || attempt.statistics.length > 0, prepared);
  }

  /** Runs an attempt once. @param timed whether each step is timed, which slows it */
  run(attempt: Attempt, values: readonly string[], limitMs: number, timed = false): Promise<Explained> {
    return this.within(attempt, limitMs, async (session) => {
      // What the server reads of its catalogue for the first time is not the statement's.
      await explain(session, attempt.text, values);
      return explain(session, attempt.text, values, timed ? 'ANALYZE, BUFFERS' : 'ANALYZE, BUFFERS, TIMING OFF');
    });
  }

  /**
   * Microseconds that the indexes of an attempt add to a row that is written: rows of the table are put into an empty copy of it, with and
   * without. Null when that cannot be measured.
   */
  async writeCost(attempt: Attempt): Promise<number | null> {
    if (!this.#isOpen) return null;
    try {
      return await this.#session.undone(async () => {
        await this.#session.do("SET LOCAL statement_timeout = '20s'");
        let micros = 0;
        for (const definition of attempt.indexes) {
          const table = /^CREATE INDEX ON (\S+)/.exec(definition)![1];
          const without = await this.#microsOfRow(table, '');
          const kept = await this.#microsOfRow(
            table,
            definition.replace(/^CREATE INDEX ON \S+/, 'CREATE INDEX ON trial_written'),
          );
          if (without === null || kept === null) return null;
          micros += Math.max(0, kept - without);
        }
        return micros;
      });
    } catch {
      return null;
    }
  }

  /** Writes rows of a table into a copy that has as many already. The middle of five times, of a row; null when there are too few rows. */
  async #microsOfRow(table: string, index: string): Promise<number | null> {
    const each: number[] = [];
    for (let at = 0; at < 5; at++) {
      const own = await this.#session.undone(async () => {
        await this.#session.do(`CREATE TEMP TABLE trial_written (LIKE ${table} INCLUDING DEFAULTS)`);
        const before = await this.#session.change(`INSERT INTO trial_written SELECT * FROM ${table} LIMIT ${WRITTEN_ROWS}`);
        if (index) await this.#session.do(index);
        const began = performance.now();
        const rows = await this.#session.change(
          `INSERT INTO trial_written SELECT * FROM ${table} OFFSET ${before} LIMIT ${WRITTEN_ROWS}`,
        );
        return rows < LEAST_WRITTEN ? null : ((performance.now() - began) * 1000) / rows;
      });
      if (own === null) return null;
      each.push(own);
    }
    return median(each);
  }

  async close(): Promise<void> {
    if (this.#isOpen) await this.#session.do('ROLLBACK').catch(() => {});
    this.#isOpen = false;
  }
}
