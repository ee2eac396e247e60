import { sql } from 'drizzle-orm';
import type pg from 'pg';
import { type MaskedLine, maskLine } from '../../core/logs/maskLine.ts';
import { messageOf } from '../../core/logs/messageOf.ts';
import { type DecidedShape, ShapeCounts } from '../../core/logs/shapeCounts.ts';
import { type Matched, ShapeTree } from '../../core/logs/shapeTree.ts';
import { database, inTransaction } from '../database/connection.ts';

/** A line that is to have a shape. */
export interface UnshapedLine {
  readonly text: string;
  readonly timeNs: bigint;
}

/** The shapes as they are stored, as far as this process has read them. */
export interface StoredShapes {
  readonly version: number;
  readonly shapes: ReadonlyMap<string, StoredShape>;
  /** As which of them lines are counted today. */
  readonly counts: ShapeCounts;
}

export interface StoredShape extends DecidedShape {
  /** The earliest line of it that was read, epoch nanoseconds. */
  readonly firstNs: bigint;
}

let stored: StoredShapes = { version: 0, shapes: new Map(), counts: new ShapeCounts(new Map()) };
let tree = new ShapeTree();

/** All shapes there are. */
export async function storedShapes(): Promise<StoredShapes> {
  await refresh(async (version) => {
    const { rows } = await database().execute(sql`SELECT ${sql.raw(COLUMNS)} FROM log_shape WHERE version > ${version}`);
    return rows as unknown as ShapeRow[];
  });
  return stored;
}

interface ShapeRow {
  readonly id: string;
  readonly template: readonly string[];
  readonly counted_as: string;
  readonly coarse: boolean;
  readonly joined_to: string | null;
  readonly apart_of: string | null;
  readonly first: string;
  readonly version: number;
}

const COLUMNS = 'id, template, counted_as, coarse, joined_to, apart_of, first_ns::text AS first, version::float8 AS version';

async function refresh(read: (version: number) => Promise<readonly ShapeRow[]>): Promise<void> {
  const rows = await read(stored.version);
  if (rows.length === 0) return;
  const shapes = new Map(stored.shapes);
  let version = stored.version;
  for (const row of rows) {
    shapes.set(row.id, {
      id: row.id,
      template: row.template,
      countedAs: row.counted_as,
      coarse: row.coarse,
      joinedTo: row.joined_to,
      apartOf: row.apart_of,
      firstNs: BigInt(row.first),
    });
    version = Math.max(version, row.version);
  }
  stored = { version, shapes, counts: new ShapeCounts(shapes) };
  tree = new ShapeTree(shapes.values());
}

/**
 * The shapes of some lines. All processes share one tree: what is new in it, or more general than before, is stored before this returns, with
 * what the narrower shape has become.
 */
export async function shapesOf(lines: readonly UnshapedLine[]): Promise<Matched[]> {
  if (lines.length === 0) return [];
  await storedShapes();
  const masked = lines.map(({ text }) => maskLine(messageOf(text)));
  const found = matchAll(masked);
  const isEarlier = found.some(({ shape }, at) => (stored.shapes.get(shape.id)?.firstNs ?? 0n) > lines[at].timeNs);
  if (tree.changed.size === 0 && !isEarlier) return found;
  try {
    return await inTransaction((client) => changeTree(client, lines, masked));
  } catch (error) {
    // What was matched since is not stored: forget it.
    tree = new ShapeTree(stored.shapes.values());
    throw error;
  }
}

function matchAll(masked: readonly MaskedLine[]): Matched[] {
  return masked.map((line) => tree.match(line));
}

/** Matches again with the tree as all have it, while nobody else can change it. */
async function changeTree(
  client: pg.PoolClient,
  lines: readonly UnshapedLine[],
  masked: readonly MaskedLine[],
): Promise<Matched[]> {
  await client.query(`SELECT pg_advisory_xact_lock(hashtext('log shapes'))`);
  tree = new ShapeTree(stored.shapes.values());
  await refresh(async (version) => {
    return (await client.query<ShapeRow>(`SELECT ${COLUMNS} FROM log_shape WHERE version > $1`, [version])).rows;
  });
  const found = matchAll(masked);
  const first = new Map<string, bigint>();
  for (const [at, { shape }] of found.entries()) {
    const known = first.get(shape.id) ?? stored.shapes.get(shape.id)?.firstNs;
    if (known === undefined || lines[at].timeNs < known) first.set(shape.id, lines[at].timeNs);
  }
  const version = stored.version + 1;
  const earliest = lines.reduce((least, { timeNs }) => (timeNs < least ? timeNs : least), lines[0].timeNs);
  const changed = new Map<string, StoredShape>();
  for (const [id, shape] of tree.changed)
    changed.set(id, {
      joinedTo: null,
      ...stored.shapes.get(id),
      apartOf: null,
      ...shape,
      firstNs: first.get(id) ?? stored.shapes.get(id)?.firstNs ?? earliest,
    });
  for (const [id, firstNs] of first) {
    const shape = changed.get(id) ?? stored.shapes.get(id);
    if (shape && (!stored.shapes.has(id) || firstNs < shape.firstNs)) changed.set(id, { ...shape, firstNs });
  }
  // A more general one was first seen when the first of those that became it was.
  for (const { id, countedAs: other, firstNs } of [...changed.values()]) {
    const general = changed.get(other) ?? stored.shapes.get(other);
    if (other !== id && general && firstNs < general.firstNs) changed.set(other, { ...general, firstNs });
  }
  const rows = [...changed.values()];
  await client.query(
    `INSERT INTO log_shape (id, template, counted_as, coarse, first_ns, version)
      SELECT id, template::jsonb, counted_as, coarse, first_ns, $6 FROM unnest($1::text[], $2::text[], $3::text[], $4::boolean[], $5::bigint[])
        AS it(id, template, counted_as, coarse, first_ns)
      ON CONFLICT (id) DO UPDATE SET counted_as = excluded.counted_as, coarse = excluded.coarse,
        first_ns = least(log_shape.first_ns, excluded.first_ns), version = excluded.version`,
    [
      rows.map(({ id }) => id),
      rows.map(({ template }) => JSON.stringify(template)),
      rows.map(({ countedAs: other }) => other),
      rows.map(({ coarse }) => coarse),
      rows.map(({ firstNs }) => String(firstNs)),
      version,
    ],
  );
  // Nobody matches with what is not committed yet: the next who asks reads it, this process too.
  tree = new ShapeTree(stored.shapes.values());
  return found;
}
