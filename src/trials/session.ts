import pg from 'pg';
import type { TrialServer } from './servers.ts';

/** A statement took longer than it may. */
export class OverLimit extends Error {}

const CONNECT_MS = 5_000;
/** Connections to other servers at a time: a trial has one, and each look at a statement. */
const MOST_SESSIONS = 6;
let openSessions = 0;
/** How long a lock is waited for: others may be waiting behind us. */
const LOCK_MS = 1_000;

/** A connection on which statements are tried. All that it does is rolled back. */
export class TrialSession {
  readonly #client: pg.Client;
  readonly server: TrialServer;
  #ended = false;

  private constructor(client: pg.Client, server: TrialServer) {
    this.#client = client;
    this.server = server;
  }

  /** @throws Error when the server cannot be reached, or too many are reached already */
  static async open(server: TrialServer): Promise<TrialSession> {
    if (openSessions >= MOST_SESSIONS)
      throw new Error('Too many connections to other servers at once; try again in some seconds.');
    openSessions++;
    try {
      return await TrialSession.#connect(server);
    } catch (error) {
      openSessions--;
      throw error;
    }
  }

  static async #connect(server: TrialServer): Promise<TrialSession> {
    const client = new pg.Client({
      connectionString: server.dsn,
      application_name: 'dusk-lantern plan bench',
      connectionTimeoutMillis: CONNECT_MS,
      keepAlive: true,
    });
    // A server that ends while nothing is asked must not end us.
    client.on('error', () => {});
    await client.connect();
    const session = new TrialSession(client, server);
    try {
      await client.query(
        `SET lock_timeout = ${LOCK_MS}; SET idle_in_transaction_session_timeout = '60s'; SET statement_timeout = '30s'`,
      );
      // When this process is killed, the server looks whether anybody still waits for the answer.
      await client.query("SET client_connection_check_interval = '1s'").catch(() => {});
      return session;
    } catch (error) {
      await client.end().catch(() => {});
      throw error;
    }
  }

  /** @param values as text, of types that the server infers */
  async rows<Row = Record<string, unknown>>(text: string, values: readonly unknown[] = []): Promise<Row[]> {
    const { rows } = await this.#client.query(text, [...values]);
    return rows as Row[];
  }

  /** @returns how many rows were changed */
  async change(text: string): Promise<number> {
    return (await this.#client.query(text)).rowCount ?? 0;
  }

  async do(text: string): Promise<void> {
    await this.#client.query(text);
  }

  /** Gives each row as texts, none of them kept. Resolves with the types of the columns. */
  stream(text: string, values: readonly string[], onRow: (row: readonly (string | null)[]) => void): Promise<readonly number[]> {
    return new Promise((resolve, reject) => {
      const query = new pg.Query<(string | null)[]>({
        text,
        values: [...values],
        rowMode: 'array',
        types: { getTypeParser: () => (value: unknown) => value },
      } as unknown as pg.QueryArrayConfig);
      query.on('row', (row) => onRow(row as unknown as (string | null)[]));
      query.on('end', (result) => resolve(result.fields.map((it) => it.dataTypeID)));
      query.on('error', reject);
      this.#client.query(query);
    });
  }

  /**
   * Does something in a transaction that is rolled back, whatever happens.
   *
   * @param write whether rows may be changed in it
   */
  async rolledBack<T>(write: boolean, work: () => Promise<T>): Promise<T> {
    await this.do(write ? 'BEGIN' : 'BEGIN READ ONLY');
    try {
      if (!write && this.server.readRole !== '') await this.do(`SET LOCAL ROLE ${pg.escapeIdentifier(this.server.readRole)}`);
      return await work();
    } finally {
      await this.do('ROLLBACK').catch(() => {});
    }
  }

  /** Does something in the transaction that is open, and undoes it. */
  async undone<T>(work: () => Promise<T>): Promise<T> {
    await this.do('SAVEPOINT trial');
    try {
      return await work();
    } finally {
      await this.do('ROLLBACK TO SAVEPOINT trial; RELEASE SAVEPOINT trial').catch(() => {});
    }
  }

  /** Ends what the server is doing for this connection, by another one. */
  async cancel(): Promise<void> {
    const { processID } = this.#client as unknown as { processID: number };
    const other = new pg.Client({ connectionString: this.server.dsn, connectionTimeoutMillis: CONNECT_MS });
    other.on('error', () => {});
    try {
      await other.connect();
      await other.query('SELECT pg_cancel_backend($1)', [processID]);
    } catch {
      // It ends with the connection.
    } finally {
      await other.end().catch(() => {});
    }
  }

  async close(): Promise<void> {
    if (this.#ended) return;
    this.#ended = true;
    openSessions--;
    await this.#client.end().catch(() => {});
  }
}

/** Whether the server ended a statement since its time was up. */
export function isTimeout(error: unknown): boolean {
  return typeof error === 'object' && error !== null && 'code' in error && error.code === '57014';
}
