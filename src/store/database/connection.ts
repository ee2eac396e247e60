import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import pg from 'pg';

type Database = NodePgDatabase;

/** Who reads and who writes have connections apart, so that slow readers never keep a writer waiting. */
const MOST_READERS = 6;
const MOST_WRITERS = 6;
/**
 * Who writes looks up some hundred rows among millions, by their key, whatever the planner makes of tables that have just grown: a plan that
 * reads a whole day would make writing slower with every row.
 */
const BY_INDEX = '-c enable_seqscan=off -c enable_hashjoin=off -c enable_mergejoin=off';
/** Nobody waits for an answer as long as this: what still reads then has been forgotten. */
const READ_LIMIT = '-c statement_timeout=180s';
let readers: pg.Pool | undefined;
let writers: pg.Pool | undefined;

/** The pool that reads, to the database that `DATABASE_URL` names. */
export function connections(): pg.Pool {
  readers ??= newPool(MOST_READERS, READ_LIMIT);
  return readers;
}

function newPool(max: number, options: string): pg.Pool {
  const connectionString = process.env.DATABASE_URL;
  if (!connectionString) throw new Error('DATABASE_URL is not set');
  const pool = new pg.Pool({ connectionString, max, connectionTimeoutMillis: 5_000, application_name: 'dusk-lantern', options });
  // A connection that breaks while nobody uses it is replaced at the next use; without a listener it would end the process.
  pool.on('error', () => {});
  pool.on('connect', (client) => client.on('error', () => {}));
  return pool;
}

export function database(): Database {
  return drizzle({ client: connections() });
}

export async function closeConnections(): Promise<void> {
  await Promise.all([readers?.end(), writers?.end()]);
  readers = undefined;
  writers = undefined;
}

/** What several transactions would undo each other's work on: one has it at a time, until it ends. */
type Lock = 'spans' | 'midnight';

/** Waits for a lock, and takes it for the transaction. */
export async function takeLock(client: pg.PoolClient, lock: Lock): Promise<void> {
  await client.query({ name: 'take lock', text: 'SELECT pg_advisory_xact_lock(hashtext($1))', values: [lock] });
}

/** Runs `work` on one connection, in one transaction, which is rolled back when anything fails. */
export async function inTransaction<T>(work: (client: pg.PoolClient) => Promise<T>): Promise<T> {
  writers ??= newPool(MOST_WRITERS, BY_INDEX);
  const client = await writers.connect();
  try {
    await client.query('BEGIN');
    const result = await work(client);
    await client.query('COMMIT');
    client.release();
    return result;
  } catch (error) {
    // A connection that cannot even roll back is thrown away.
    await client.query('ROLLBACK').then(
      () => client.release(),
      () => client.release(true),
    );
    throw error;
  }
}

/** PostgreSQL's error code of a failure, through whatever wraps it; undefined when it did not come from the server. */
export function sqlState(error: unknown): string | undefined {
  for (let at = error; at instanceof Error; at = at.cause) {
    const { code } = at as { code?: unknown };
    if (typeof code === 'string' && /^[0-9A-Z]{5}$/.test(code)) return code;
  }
  return undefined;
}

/**
 * Whether a failure means that the store cannot be reached or cannot work now, so that the same request may succeed later:
 * connection failures, shutdown and start-up, too many connections, a full disk, a lost race between transactions.
 */
export function isDatabaseUnavailable(error: unknown): boolean {
  const state = sqlState(error);
  if (state) return /^(08|53|57P|58|40)/.test(state);
  for (let at = error; at instanceof Error; at = at.cause) {
    const { code } = at as { code?: unknown };
    if (typeof code === 'string' && /^(ECONN|EPIPE|ETIMEDOUT|ENOTFOUND|EHOSTUNREACH|EAI_AGAIN)/.test(code)) return true;
    if (at instanceof AggregateError || /connection|timeout exceeded|not queryable/i.test(at.message)) return true;
  }
  return false;
}

/** The server broke a statement off, since it took longer than it may. */
const BROKEN_OFF = '57014';
/** Bad values, broken rules, mistakes in a statement, more than fits: the same again would be refused again. */
const FOR_GOOD = /^(0A|22|23|42|54)/;

export function isBrokenOff(error: unknown): boolean {
  return sqlState(error) === BROKEN_OFF;
}

/**
 * Whether what was to be written could not be written now, though nothing is wrong with it: as `isDatabaseUnavailable`, and whatever else the
 * server says that is not about the records, such as a lock that was not free or a table that changed meanwhile.
 */
export function mayBeWrittenLater(error: unknown): boolean {
  const state = sqlState(error);
  return isDatabaseUnavailable(error) || (state !== undefined && !FOR_GOOD.test(state));
}
