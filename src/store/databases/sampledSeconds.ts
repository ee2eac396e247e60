import { and, asc, desc, eq, gte, lt, lte } from 'drizzle-orm';
import type { SampledSecond } from '../../core/database/sampledSecond.ts';
import { unpackSeconds } from '../../formats/database/packSeconds.ts';
import { database } from '../database/connection.ts';
import { daysAround } from '../retention/days.ts';
import { dbBlock } from '../schema/index.ts';

/** Blocks that are read together. */
const AT_ONCE = 64;

interface SecondsAsked {
  /** Epoch nanoseconds, `to` exclusive. */
  readonly from: bigint;
  readonly to: bigint;
  readonly server?: string;
}

/** The sampled seconds of a stretch of time with who sent them, block by block, in the order of the blocks' ends. */
export async function* secondBlocks({
  from,
  to,
  server,
}: SecondsAsked): AsyncGenerator<{ service: string; seconds: readonly SampledSecond[] }> {
  const { first, last } = daysAround(from, to);
  for (let skip = 0; ; skip += AT_ONCE) {
    const rows = await database()
      .select({
        service: dbBlock.service,
        system: dbBlock.system,
        server: dbBlock.server,
        data: dbBlock.data,
      })
      .from(dbBlock)
      .where(
        and(
          gte(dbBlock.lastNs, from),
          lt(dbBlock.firstNs, to),
          gte(dbBlock.day, Math.max(first, 1)),
          lte(dbBlock.day, last),
          server === undefined ? undefined : eq(dbBlock.server, server),
        ),
      )
      .orderBy(asc(dbBlock.lastNs), asc(dbBlock.server), asc(dbBlock.service), asc(dbBlock.firstNs))
      .limit(AT_ONCE)
      .offset(skip);
    for (const { service, data, ...of } of rows)
      yield { service, seconds: unpackSeconds(data, of).filter(({ timeNs }) => timeNs >= from && timeNs < to) };
    if (rows.length < AT_ONCE) return;
  }
}

/** Samples that are held at once, at most: a server with a hundred active sessions has fewer in ten minutes. */
const MOST_SAMPLES = 200_000;

/**
 * The sampled seconds of a stretch of time, in order of time, one only of a server and moment; those beyond a bound are left out, the latest.
 *
 * @param isWanted of which seconds are kept
 */
export async function secondsBetween(
  asked: SecondsAsked,
  isWanted: (second: SampledSecond) => boolean = () => true,
): Promise<SampledSecond[]> {
  const found = new Map<string, SampledSecond>();
  let samples = 0;
  for await (const { seconds } of secondBlocks(asked)) {
    for (const it of seconds) {
      if (!isWanted(it)) continue;
      found.set(`${it.timeNs} ${it.server}`, it);
      samples += 1 + it.sessions.length;
    }
    if (samples > MOST_SAMPLES) break;
  }
  return [...found.values()].sort((a, b) => (a.timeNs < b.timeNs ? -1 : a.timeNs > b.timeNs ? 1 : 0));
}

/** Servers that are told apart in ten minutes, at most: senders can make up any number of names. */
const MOST_SERVERS = 500;

/** The servers that were sampled in a stretch of time, by name. */
export async function sampledServers(from: bigint, to: bigint): Promise<string[]> {
  const { first, last } = daysAround(from, to);
  const rows = await database()
    .selectDistinct({ server: dbBlock.server })
    .from(dbBlock)
    .where(and(gte(dbBlock.lastNs, from), lt(dbBlock.firstNs, to), gte(dbBlock.day, Math.max(first, 1)), lte(dbBlock.day, last)))
    .orderBy(asc(dbBlock.server))
    .limit(MOST_SERVERS);
  return rows.map(({ server }) => server);
}

/** Within it a moment is the nearest: servers are sampled once a second. */
const NEAR_NS = 1_500_000_000n;
/** How long before a time the moment sampled last may lie. */
const LONGEST_GAP_NS = 600_000_000_000n;
/** Blocks that are read together, and of those that reach over a moment in all. */
const AROUND_AT_ONCE = 8;
const MOST_AROUND = 256;

/**
 * The moment of a server that was sampled last, at or before a time. Undefined when none was within ten minutes.
 *
 * A block of a sender that catches up holds seconds of now and of hours ago, and may have none in between: those that begin nearest are looked
 * into first, and others as long as they may hold one that is nearer.
 */
export async function secondAt(server: string, atNs: bigint): Promise<SampledSecond | undefined> {
  const since = atNs - LONGEST_GAP_NS;
  let nearest: SampledSecond | undefined;
  for (let skip = 0; skip < MOST_AROUND; skip += AROUND_AT_ONCE) {
    const rows = await database()
      .select({ system: dbBlock.system, server: dbBlock.server, data: dbBlock.data })
      .from(dbBlock)
      .where(
        and(
          eq(dbBlock.server, server),
          gte(dbBlock.lastNs, nearest?.timeNs ?? since),
          lte(dbBlock.firstNs, atNs),
          gte(dbBlock.day, Number(since / 86_400_000_000_000n) - 1),
        ),
      )
      .orderBy(desc(dbBlock.firstNs), desc(dbBlock.lastNs))
      .limit(AROUND_AT_ONCE)
      .offset(skip);
    for (const { data, ...of } of rows)
      for (const it of unpackSeconds(data, of))
        if (it.timeNs <= atNs && it.timeNs >= since && (!nearest || it.timeNs > nearest.timeNs)) nearest = it;
    if (rows.length < AROUND_AT_ONCE || (nearest && nearest.timeNs > atNs - NEAR_NS)) break;
  }
  return nearest;
}
