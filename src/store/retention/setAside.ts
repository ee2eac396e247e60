import { sql } from 'drizzle-orm';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { database, inTransaction } from '../database/connection.ts';
import { daysOf, forgetDays, PARTED_TABLES } from './days.ts';

/*
 * An application that derives more than the one before it cannot show old records as it shows new ones. What an old schema holds is set aside as
 * it came, and taken in again.
 */

/** How the tables of blocks that were set aside are called: the signal and the day follow. */
const PREFIX = 'aside';
const isAside = sql`c.relname ~ ${`^${PREFIX}_(${SIGNALS.join('|')})_[0-9]+$`} AND c.relkind = 'r'`;

/** Of these less may have been noted, where the schema has them at all. */
const NAMES = ['call', 'instance', 'resource', 'series', 'log_kind', 'facet'];

/** What is derived of blocks, by its name now and by names of old schemas. The database may hold tables of others, too. */
const DERIVED = [...SIGNALS.flatMap((signal) => PARTED_TABLES[signal].slice(1)), 'link_minute', 'db_sample'];

/** A block that is to be taken in again. */
export interface AsideBlock {
  readonly table: string;
  readonly signal: Signal;
  readonly blockId: string;
  /** An export request, deflated. */
  readonly data: Buffer;
}

/**
 * Sets all blocks aside and drops what was derived of them, at once or not at all. Operations and other watched series stay, so that incidents
 * still refer to them. The schema may be any that had blocks.
 */
export async function setAside(): Promise<void> {
  const days = new Map<Signal, readonly number[]>();
  for (const signal of SIGNALS) days.set(signal, await daysOf(signal));
  await inTransaction(async (client) => {
    for (const [signal, ofSignal] of days)
      for (const day of ofSignal) {
        const [blocks] = PARTED_TABLES[signal];
        await client.query(`ALTER TABLE ${blocks} DETACH PARTITION ${blocks}_${day}`);
        await client.query(`ALTER TABLE ${blocks}_${day} RENAME TO ${PREFIX}_${signal}_${day}`);
      }
    // All that is parted by the day beside the blocks was derived of them.
    const { rows: derived } = await client.query<{ name: string }>(
      `SELECT child.oid::regclass::text AS name FROM pg_inherits JOIN pg_class child ON child.oid = inhrelid
        JOIN pg_class parent ON parent.oid = inhparent JOIN pg_namespace n ON n.oid = parent.relnamespace
        WHERE n.nspname = 'public' AND child.relispartition AND parent.relname = ANY($1)`,
      [DERIVED],
    );
    for (const { name } of derived) await client.query(`DROP TABLE ${name}`);
    // A block may be all of the request that brought it, which would be taken for one that was kept already.
    await client.query('TRUNCATE intake_body');
    // Edges had another name at first; once they have this one, a table of that name is somebody else's.
    const { rows: edges } = await client.query(`SELECT to_regclass('call_edge') IS NULL AS "isOld"`);
    for (const names of [edges[0].isOld ? 'link' : 'call_edge', ...NAMES])
      await client.query(`DO $$ BEGIN IF to_regclass('${names}') IS NOT NULL THEN TRUNCATE "${names}"; END IF; END $$`);
  });
  forgetDays();
}

/** How many blocks are still to be taken in again, and how many records those hold. */
export async function asideLeft(): Promise<{ blocks: number; records: number }> {
  const left = { blocks: 0, records: 0 };
  for (const table of await asideTables()) {
    const { rows } = await database().execute<{ blocks: string; records: string }>(
      sql`SELECT count(*) AS blocks, coalesce(sum(records), 0) AS records FROM ${sql.identifier(table)}`,
    );
    left.blocks += Number(rows[0].blocks);
    left.records += Number(rows[0].records);
  }
  return left;
}

/** The blocks that were set aside, one after the other; each is to be forgotten once it was taken in. A day that is done is dropped. */
export async function* asideBlocks(): AsyncGenerator<AsideBlock> {
  for (const table of await asideTables()) {
    const signal = table.split('_')[1] as Signal;
    let after = '-9223372036854775808';
    for (;;) {
      const { rows } = await database().execute<{ blockId: string; data: Buffer }>(
        sql`SELECT block_id::text AS "blockId", data FROM ${sql.identifier(table)} WHERE block_id > ${after}::bigint ORDER BY block_id LIMIT 8`,
      );
      for (const { blockId, data } of rows) yield { table, signal, blockId, data };
      const last = rows.at(-1);
      if (!last) break;
      after = last.blockId;
    }
    await database().execute(
      sql`DO ${sql.raw(`$$ BEGIN IF NOT EXISTS (SELECT FROM "${table}") THEN DROP TABLE "${table}"; END IF; END $$`)}`,
    );
  }
}

export async function forgetAside({ table, blockId }: AsideBlock): Promise<void> {
  await database().execute(sql`DELETE FROM ${sql.identifier(table)} WHERE block_id = ${blockId}::bigint`);
}

/** Latest day first: what was last is what is looked at. */
async function asideTables(): Promise<string[]> {
  const { rows } = await database().execute<{ name: string }>(
    sql`SELECT c.relname AS name FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      WHERE n.nspname = 'public' AND ${isAside} ORDER BY substring(c.relname FROM '[0-9]+$')::int DESC, c.relname DESC`,
  );
  return rows.map(({ name }) => name);
}
