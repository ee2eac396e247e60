import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import pg from 'pg';

export type Database = NodePgDatabase;

let pool: pg.Pool | undefined;

/** The one pool of the process, to the database that `DATABASE_URL` names. */
export function connections(): pg.Pool {
  if (pool) return pool;
  const connectionString = process.env.DATABASE_URL;
  if (!connectionString) throw new Error('DATABASE_URL is not set');
  pool = new pg.Pool({ connectionString, max: 8, connectionTimeoutMillis: 5_000, application_name: 'dusk-lantern' });
  // A connection that breaks while nobody uses it is replaced at the next use; without a listener it would end the process.
  pool.on('error', () => {});
  pool.on('connect', (client) => client.on('error', () => {}));
  return pool;
}

export function database(): Database {
  return drizzle({ client: connections() });
}

export async function closeConnections(): Promise<void> {
  await pool?.end();
  pool = undefined;
}

/** Runs `work` on one connection, in one transaction; the connection is thrown away when anything fails. */
export async function inTransaction<T>(work: (tx: Database, client: pg.PoolClient) => Promise<T>): Promise<T> {
  const client = await connections().connect();
  try {
    await client.query('BEGIN');
    const result = await work(drizzle({ client }), client);
    await client.query('COMMIT');
    client.release();
    return result;
  } catch (error) {
    client.release(true);
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
export function isStoreAway(error: unknown): boolean {
  const state = sqlState(error);
  if (state) return /^(08|53|57P|58|40)/.test(state);
  for (let at = error; at instanceof Error; at = at.cause) {
    const { code } = at as { code?: unknown };
    if (typeof code === 'string' && /^(ECONN|EPIPE|ETIMEDOUT|ENOTFOUND|EHOSTUNREACH|EAI_AGAIN)/.test(code)) return true;
    if (at instanceof AggregateError || /connection|timeout exceeded|not queryable/i.test(at.message)) return true;
  }
  return false;
}
