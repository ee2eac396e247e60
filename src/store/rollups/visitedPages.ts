import { sql } from 'drizzle-orm';
import { addValue, emptySketch, type Sketch } from '../../core/measures/sketch.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** Pages that are listed, at most, those seen most: visitors can make up any number of addresses. */
const MOST_PAGES = 100;

/** What happened to a page in some minutes; `at` is minutes since 1970-01-01. A view is a call, a crash a failed one. */
export interface PageBlock {
  readonly at: number;
  calls: number;
  failures: number;
  /** How long until it could be used. */
  readonly sketch: Sketch;
}

/** The pages of an application of visitors in a stretch of time (epoch nanoseconds, `to` exclusive), in blocks of `step` minutes, in order. */
export async function visitedPages(
  application: string,
  from: bigint,
  to: bigint,
  step: number,
): Promise<Map<string, PageBlock[]>> {
  const within = sql`day BETWEEN ${dayOf(from)} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
      AND service = ${application} AND page <> '' AND kind IN ('page', 'crash')`;
  // Durations as the buckets of a sketch: what comes grows with the pages, not with the views.
  const { rows } = await database().execute(sql`
    WITH pages AS (SELECT page FROM visit WHERE ${within} GROUP BY page ORDER BY count(*) DESC, page LIMIT ${MOST_PAGES})
    SELECT page, (time_ns / ${BigInt(step) * 60_000_000_000n})::int AS block, kind = 'crash' AS crashed,
      CASE WHEN duration_ms > 0 THEN ceil(ln(duration_ms * 1000000) / ln(2.0::float8) * 16)::int - 1 END AS bucket, count(*)::int AS times
    FROM visit JOIN pages USING (page) WHERE ${within} GROUP BY 1, 2, 3, 4 ORDER BY 2`);
  const pages = new Map<string, PageBlock[]>();
  for (const { page, block, crashed, bucket, times } of rows as unknown as {
    page: string;
    block: number;
    crashed: boolean;
    bucket: number | null;
    times: number;
  }[]) {
    const blocks = pages.get(page) ?? [];
    pages.set(page, blocks);
    let last = blocks.at(-1);
    if (last?.at !== block * step) {
      last = { at: block * step, calls: 0, failures: 0, sketch: emptySketch() };
      blocks.push(last);
    }
    if (crashed) last.failures += times;
    else {
      last.calls += times;
      // Any value of the bucket stands for it.
      if (bucket !== null) addValue(last.sketch, 2 ** ((bucket + 0.5) / 16), times);
    }
  }
  // A view and its crash may lie in two blocks; then the crash counts as a call of its own.
  for (const blocks of pages.values()) for (const block of blocks) block.calls = Math.max(block.calls, block.failures);
  return pages;
}
