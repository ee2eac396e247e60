import pg from 'pg';

const PATIENCE_MS = 30_000;

/** Works on a database by a connection of its own, which is closed whatever comes of it. */
export async function withClient<T>(url: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: PATIENCE_MS });
  client.on('error', () => {});
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end().catch(() => {});
  }
}
