import type { Segment } from '../../core/columns/segment.ts';
import type { HourPart } from '../../core/database/hours/hourColumns.ts';
import { SessionHour } from '../../core/database/hours/sessionHour.ts';
import { type SessionRows, sessionRows } from '../../core/database/sessionColumns.ts';
import { hourLabel, sessionHours } from '../columns/sessionHours.ts';
import { sessionSegments } from '../columns/sessionSegments.ts';

/** The sampled sessions of a server in one slot. */
export interface ServerRows {
  readonly server: string;
  readonly rows: SessionRows;
  /** When the slot begins, epoch milliseconds. */
  readonly slotMs: number;
}

/** The sampled sessions of a stretch of time (epoch nanoseconds, `to` exclusive) in order of time, of all servers or one. */
async function sampledSessions(from: bigint, to: bigint, server?: string): Promise<ServerRows[]> {
  const found: ServerRows[] = [];
  for await (const it of slotsOf(from, to, server)) found.push(it);
  return found.sort((a, b) => a.slotMs - b.slotMs);
}

async function* slotsOf(from: bigint, to: bigint, server?: string): AsyncGenerator<ServerRows> {
  for await (const { segment, from: slotNs, label } of sessionSegments.read({ from, to, label: server }))
    if (label !== '') yield { server: label, rows: sessionRows(segment), slotMs: Number(slotNs / 1_000_000n) };
}

/** An hour of a server, added up. */
export interface ServerHour {
  readonly server: string;
  readonly hour: SessionHour;
}

/** The sampled sessions of a stretch: sample by sample, and of long ones whole hours added up. Each in order of time. */
export interface SessionLoad {
  /** Whether whole hours were read added up, where there were any. */
  readonly isByHour: boolean;
  readonly rows: readonly ServerRows[];
  readonly hours: readonly ServerHour[];
}

/** A part of a stretch, epoch milliseconds. */
interface Part {
  readonly from: number;
  readonly to: number;
}

const HOUR_MS = 3_600_000;
/** From so long a stretch on whole hours are read added up. */
const LONG_MS = 48 * HOUR_MS;
/** An hour that ended less than this ago may still grow. */
const SETTLED_MS = 600_000;

/** What is wanted of hours. */
export interface LoadWanted {
  /** One server alone; all by default. */
  readonly server?: string;
  readonly parts: readonly HourPart[];
}

/**
 * The load of servers over a stretch of time.
 *
 * @param bounds epoch milliseconds, ascending: where the stretch begins and ends, and where it will be cut: an hour that lies on both sides of
 * a cut is read sample by sample
 */
export async function sessionLoad(bounds: readonly number[], { server, parts }: LoadWanted): Promise<SessionLoad> {
  const { whole, rest } = cutAt(bounds);
  const rows: ServerRows[] = [];
  for (const it of rest) rows.push(...(await sampledSessions(nanos(it.from), nanos(it.to), server)));
  const hours = new Map<string, { server: string; hourMs: number; segments: Partial<Record<HourPart, Segment>> }>();
  for (const it of whole)
    for (const part of parts)
      for await (const found of hoursOf(it, part, server)) {
        const key = `${found.hourMs} ${found.server}`;
        const known = hours.get(key) ?? { server: found.server, hourMs: found.hourMs, segments: {} };
        known.segments[part] = found.segment;
        hours.set(key, known);
      }
  return {
    isByHour: isLong(bounds),
    rows,
    hours: [...hours.values()]
      .sort((a, b) => a.hourMs - b.hourMs)
      .map((it) => ({ server: it.server, hour: new SessionHour(it.segments, it.hourMs) })),
  };
}

/** The same of all servers, of hours the totals alone, in no order and one after the other: as many servers as there are take no more memory. */
export async function* eachTotal(bounds: readonly number[]): AsyncGenerator<ServerRows | ServerHour> {
  const { whole, rest } = cutAt(bounds);
  for (const it of rest) yield* slotsOf(nanos(it.from), nanos(it.to));
  for (const it of whole)
    for await (const { server, hourMs, segment } of hoursOf(it, 'total'))
      yield { server, hour: new SessionHour({ total: segment }, hourMs) };
}

/** Whether a stretch is read by the hour where that can be. */
export function isLong(bounds: readonly number[]): boolean {
  return bounds[bounds.length - 1] - bounds[0] >= LONG_MS;
}

/** What of a stretch is read by the hour, and what sample by sample. */
function cutAt(bounds: readonly number[]): { whole: Part[]; rest: Part[] } {
  const [from, to] = [bounds[0], bounds[bounds.length - 1]];
  if (!isLong(bounds)) return { whole: [], rest: [{ from, to }] };
  const whole = wholeHours(bounds, Date.now() - SETTLED_MS);
  const rest = [{ from, to: from }, ...whole, { from: to, to }].flatMap((it, at, all) =>
    at > 0 && it.from > all[at - 1].to ? [{ from: all[at - 1].to, to: it.from }] : [],
  );
  return { whole, rest };
}

async function* hoursOf({ from, to }: Part, part: HourPart, server?: string) {
  const wanted = server === undefined ? { labelStart: hourLabel(part, '') } : { label: hourLabel(part, server) };
  for await (const { segment, from: hourNs, label } of sessionHours.read({ from: nanos(from), to: nanos(to), ...wanted }))
    yield { server: label.slice(hourLabel(part, '').length), hourMs: Number(hourNs / 1_000_000n), segment };
}

/** The whole hours between each two bounds, ascending; none that ends after `settled`. */
function wholeHours(bounds: readonly number[], settled: number): Part[] {
  return bounds.slice(1).flatMap((bound, at) => {
    const first = Math.ceil(bounds[at] / HOUR_MS) * HOUR_MS;
    const end = Math.floor(Math.min(bound, settled) / HOUR_MS) * HOUR_MS;
    return end > first ? [{ from: first, to: end }] : [];
  });
}

function nanos(ms: number): bigint {
  return BigInt(Math.round(ms)) * 1_000_000n;
}
