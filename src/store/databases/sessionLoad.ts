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
export async function sampledSessions(from: bigint, to: bigint, server?: string): Promise<ServerRows[]> {
  const found: ServerRows[] = [];
  for await (const { segment, from: slotNs, label } of sessionSegments.read({ from, to, label: server }))
    if (label !== '') found.push({ server: label, rows: sessionRows(segment), slotMs: Number(slotNs / 1_000_000n) });
  return found.sort((a, b) => a.slotMs - b.slotMs);
}

/** An hour of a server, added up. */
export interface ServerHour {
  readonly server: string;
  readonly hour: SessionHour;
}

/** The sampled sessions of a stretch: sample by sample, and of long ones whole hours added up. Each in order of time. */
export interface SessionLoad {
  readonly rows: readonly ServerRows[];
  readonly hours: readonly ServerHour[];
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
  const [from, to] = [bounds[0], bounds[bounds.length - 1]];
  if (to - from < LONG_MS) return { rows: await sampledSessions(nanos(from), nanos(to), server), hours: [] };
  const whole = wholeHours(bounds, Date.now() - SETTLED_MS);
  const between = [{ from, to: from }, ...whole, { from: to, to }].flatMap((it, at, all) =>
    at > 0 && it.from > all[at - 1].to ? [{ from: all[at - 1].to, to: it.from }] : [],
  );
  const rows: ServerRows[] = [];
  for (const it of between) rows.push(...(await sampledSessions(nanos(it.from), nanos(it.to), server)));
  const hours = new Map<string, { server: string; hourMs: number; segments: Partial<Record<HourPart, Segment>> }>();
  for (const it of whole)
    for (const part of parts) {
      const wanted = server === undefined ? { labelStart: hourLabel(part, '') } : { label: hourLabel(part, server) };
      const range = { from: nanos(it.from), to: nanos(it.to), ...wanted };
      for await (const { segment, from: hourNs, label } of sessionHours.read(range)) {
        const hourMs = Number(hourNs / 1_000_000n);
        const of = label.slice(hourLabel(part, '').length);
        const known = hours.get(`${hourMs} ${of}`) ?? { server: of, hourMs, segments: {} };
        known.segments[part] = segment;
        hours.set(`${hourMs} ${of}`, known);
      }
    }
  return {
    rows,
    hours: [...hours.values()]
      .sort((a, b) => a.hourMs - b.hourMs)
      .map((it) => ({ server: it.server, hour: new SessionHour(it.segments, it.hourMs) })),
  };
}

/** The whole hours between each two bounds, ascending; none that ends after `settled`. */
export function wholeHours(bounds: readonly number[], settled: number): { from: number; to: number }[] {
  return bounds.slice(1).flatMap((bound, at) => {
    const first = Math.ceil(bounds[at] / HOUR_MS) * HOUR_MS;
    const end = Math.floor(Math.min(bound, settled) / HOUR_MS) * HOUR_MS;
    return end > first ? [{ from: first, to: end }] : [];
  });
}

function nanos(ms: number): bigint {
  return BigInt(Math.round(ms)) * 1_000_000n;
}
