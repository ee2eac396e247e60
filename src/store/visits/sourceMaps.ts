import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import { sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { positionIn, resolveStack } from '../../core/visits/stackLines.ts';
import { database } from '../database/connection.ts';
import { sourceMap } from '../schema/index.ts';

/** Maps that are kept, and bytes of them as they lie; the oldest give way. */
const MOST_MAPS = 2_000;
const MOST_STORED = 512 * 2 ** 20;
/** Bytes of maps that a process keeps ready. */
const MOST_READY = 64 * 2 ** 20;
/** How long it is believed that there is none. */
const NONE_MS = 30_000;

const ready = new LRUCache<string, { readonly map: TraceMap | null; readonly bytes: number }>({
  maxSize: MOST_READY,
  sizeCalculation: ({ bytes }) => 1_000 + bytes,
});

/** @param map a source map as JSON text @throws Error when it is none */
export async function storeSourceMap(app: string, release: string, file: string, map: string): Promise<void> {
  const parsed = new TraceMap(map);
  if (!Array.isArray(parsed.sources)) throw new Error('it names no sources');
  const values = { app, release, file, size: Buffer.byteLength(map), map: deflateRawSync(Buffer.from(map)), stored: new Date() };
  await database()
    .insert(sourceMap)
    .values(values)
    .onConflictDoUpdate({ target: [sourceMap.app, sourceMap.release, sourceMap.file], set: values });
  await database().execute(sql`DELETE FROM source_map WHERE (app, release, file) IN (
    SELECT app, release, file FROM (
      SELECT app, release, file, row_number() OVER (ORDER BY stored DESC) AS place, sum(length(map)) OVER (ORDER BY stored DESC) AS so_far FROM source_map
    ) AS all_maps WHERE place > ${MOST_MAPS} OR so_far > ${MOST_STORED})`);
  ready.delete(`${app}\0${release}\0${file}`);
}

async function mapOf(app: string, release: string, file: string): Promise<TraceMap | null> {
  const key = `${app}\0${release}\0${file}`;
  const known = ready.get(key);
  if (known) return known.map;
  const { rows } = await database().execute(
    sql`SELECT map FROM source_map WHERE app = ${app} AND release = ${release} AND file = ${file}`,
  );
  const [row] = rows as unknown as { map: Buffer }[];
  const text = row ? inflateRawSync(row.map).toString('utf8') : '';
  const map = row ? new TraceMap(text) : null;
  ready.set(key, { map, bytes: text.length }, map ? {} : { ttl: NONE_MS });
  return map;
}

/** A browser's stack as the code was written, as far as there are source maps of its release. */
export async function writtenStack(app: string, release: string, stack: string): Promise<string> {
  const files = new Set(stack.split('\n').flatMap((line) => positionIn(line)?.file ?? []));
  const maps = new Map<string, TraceMap>();
  for (const file of [...files].slice(0, 20)) {
    const map = await mapOf(app, release, file);
    if (map) maps.set(file, map);
  }
  if (maps.size === 0) return stack;
  return resolveStack(stack, ({ file, line, column }) => {
    const map = maps.get(file);
    if (!map || line < 1 || column < 1) return undefined;
    const found = originalPositionFor(map, { line, column: column - 1 });
    return found.source === null
      ? undefined
      : { source: found.source, line: found.line, column: found.column + 1, name: found.name ?? '' };
  });
}
