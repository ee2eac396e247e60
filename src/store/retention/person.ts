import { promisify } from 'node:util';
import { deflateRaw } from 'node:zlib';
import { and, asc, eq, gt, or } from 'drizzle-orm';
import { escaped, masker } from '../../core/masking/rules.ts';
import { maskRequest } from '../../formats/otlp/masking/maskRequest.ts';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { Refusals } from '../../formats/otlp/wire/refusal.ts';
import { writeRequest } from '../../formats/otlp/wire/request.ts';
import { unpack } from '../blocks/unpackBlocks.ts';
import { dropColumns, SLOT_NS, type SlotSubject, touchSlot } from '../columns/slots.ts';
import { connections, database, inTransaction } from '../database/connection.ts';
import { BLOCK_TABLES } from '../schema/index.ts';

/** What is kept that names a person. */
export interface PersonReport {
  /** By signal: values that hold the id, and blocks of records they lie in. */
  readonly signals: readonly { readonly signal: Signal; readonly values: number; readonly blocks: number }[];
  /** Other tables with rows that hold it, and how many. */
  readonly tables: readonly { readonly table: string; readonly rows: number }[];
}

const SHORTEST = 3;
const LONGEST = 200;
const AT_ONCE = 32;
/** Columns that are built from the records of a signal. */
const SUBJECTS: Readonly<Record<Signal, readonly SlotSubject[]>> = {
  traces: ['request'],
  logs: ['log', 'visit'],
  metrics: ['machine'],
  profiles: ['profile'],
};
/** A request may have begun so many stretches before the block that some of its spans lie in. */
const SLOTS_BEFORE = 6;
/** What stands in the place of what was removed. */
const MARK = 'removed';

const pack = promisify(deflateRaw) as (data: Uint8Array) => Promise<Buffer>;

/** The rule that fits an id where it stands by itself: `ann` in `user=ann`, not in `annual`. @throws Error for one that would fit too much */
function ruleFor(id: string) {
  if (id.trim() !== id || id.length < SHORTEST || id.length > LONGEST)
    throw new Error(`an id has ${SHORTEST} to ${LONGEST} characters, without blanks around it`);
  const edge = (char: string) => (/\w/.test(char) ? '\\b' : '');
  return masker([{ kind: 'value', name: MARK, on: true, pattern: `${edge(id[0])}${escaped(id)}${edge(id.at(-1) ?? '')}` }]);
}

/**
 * What is kept that names a person: in the records of all signals, attributes and texts; and in which tables beside.
 *
 * @param id as senders give it, such as the value of `user.id`
 */
export function findPerson(id: string): Promise<PersonReport> {
  return goThrough(id, false);
}

/**
 * Takes an id out of all records: where it stood is `[masked: removed]`, so that counts and durations stay what they were. Columns of the
 * stretches it touches are built anew. Names in cases, pins, notifications and the like are reported, not changed: people wrote those.
 */
export function removePerson(id: string): Promise<PersonReport> {
  return goThrough(id, true);
}

async function goThrough(id: string, remove: boolean): Promise<PersonReport> {
  const rules = ruleFor(id);
  const bytes = Buffer.from(id);
  const signals: { signal: Signal; values: number; blocks: number }[] = [];
  for (const signal of SIGNALS) {
    const table = BLOCK_TABLES[signal];
    let values = 0;
    let blocks = 0;
    let after: { day: number; blockId: number } | undefined;
    for (;;) {
      const rows = await database()
        .select({ day: table.day, blockId: table.blockId, firstNs: table.firstNs, lastNs: table.lastNs, data: table.data })
        .from(table)
        .where(after && or(gt(table.day, after.day), and(eq(table.day, after.day), gt(table.blockId, after.blockId))))
        .orderBy(asc(table.day), asc(table.blockId))
        .limit(AT_ONCE);
      for (const row of rows) {
        const request = await unpack(row.data);
        // Most blocks do not have it anywhere, which is found out faster.
        if (!writeRequest(request).includes(bytes)) continue;
        let found = 0;
        rules.begin();
        const without = maskRequest(request, signal, rules, new Refusals(), () => {
          found++;
        });
        if (found === 0) continue;
        values += found;
        blocks++;
        if (remove) await replaceBlock(signal, row, writeRequest(without));
      }
      const last = rows.at(-1);
      if (!last || rows.length < AT_ONCE) break;
      after = last;
    }
    signals.push({ signal, values, blocks });
  }
  if (remove) await removeFromRows(id);
  return { signals, tables: await otherTables(id) };
}

interface Row {
  readonly day: number;
  readonly blockId: number;
  readonly firstNs: bigint;
  readonly lastNs: bigint;
}

/** Puts other bytes in the place of a block's, and has the columns of its stretches built anew: both or neither. */
async function replaceBlock(signal: Signal, { day, blockId, firstNs, lastNs }: Row, raw: Buffer): Promise<void> {
  const data = await pack(raw);
  const touched = new Map<number, Set<number>>();
  for (let slot = Number(firstNs / SLOT_NS) - SLOTS_BEFORE; slot <= Number(lastNs / SLOT_NS); slot++)
    touchSlot(touched, day, slot);
  const { name } = BLOCK_NAMES[signal];
  await inTransaction(async (client) => {
    await client.query(`UPDATE ${name} SET data = $3, raw_bytes = $4 WHERE day = $1 AND block_id = $2`, [
      day,
      blockId,
      data,
      raw.length,
    ]);
    for (const subject of SUBJECTS[signal]) await dropColumns(client, subject, touched);
  });
}

const BLOCK_NAMES: Readonly<Record<Signal, { name: string }>> = {
  traces: { name: 'span_block' },
  logs: { name: 'log_block' },
  metrics: { name: 'metric_block' },
  profiles: { name: 'profile_block' },
};

/** Rows that were derived from records, with the columns in which they may say who did something. */
const DERIVED = [
  { table: 'trace', texts: ['user_ref', 'session_ref'], json: [] },
  { table: 'visit', texts: ['user_ref'], json: ['detail', 'about'] },
  { table: 'facet', texts: ['value'], json: [] },
  { table: 'series', texts: [], json: ['attributes'] },
] as const;

async function removeFromRows(id: string): Promise<void> {
  const mark = `[masked: ${MARK}]`;
  for (const { table, texts, json } of DERIVED) {
    const set = [
      ...texts.map((it) => `${it} = regexp_replace(${it}, $1, $2, 'g')`),
      ...json.map((it) => `${it} = regexp_replace(${it}::text, $1, $2, 'g')::jsonb`),
    ];
    const holds = [...texts, ...json].map((it) => `${it}::text ~ $1`);
    await connections().query(`UPDATE ${table} SET ${set.join(', ')} WHERE ${holds.join(' OR ')}`, [boundedPattern(id), mark]);
  }
}

/** The id where it stands by itself, as a regular expression of PostgreSQL, in plain texts and in those of JSON. */
function boundedPattern(id: string): string {
  const edge = (char: string) => (/\w/.test(char) ? '\\y' : '');
  const forms = new Set([id, JSON.stringify(id).slice(1, -1)]);
  return `${edge(id[0])}(?:${[...forms].map(escaped).join('|')})${edge(id.at(-1) ?? '')}`;
}

/** Tables with texts that hold an id, but for those of records and of columns, whose texts are not plain. */
async function otherTables(id: string): Promise<PersonReport['tables']> {
  const { rows } = await connections().query<{ table: string; columns: string[] }>(
    `SELECT c.relname AS table, array_agg(quote_ident(a.attname)) AS columns
       FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0
      WHERE n.nspname = 'public' AND c.relkind IN ('r', 'p') AND NOT c.relispartition AND NOT a.attisdropped
        AND a.atttypid IN ('text'::regtype, 'jsonb'::regtype, 'text[]'::regtype)
      GROUP BY c.relname ORDER BY c.relname`,
  );
  const found: { table: string; rows: number }[] = [];
  for (const { table, columns } of rows) {
    const holds = columns.map((it) => `${it}::text ~ $1`).join(' OR ');
    const counted = await connections().query<{ n: number }>(`SELECT count(*)::int AS n FROM "${table}" WHERE ${holds}`, [
      boundedPattern(id),
    ]);
    if (counted.rows[0].n > 0) found.push({ table, rows: counted.rows[0].n });
  }
  return found;
}
