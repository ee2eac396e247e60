import type { Signal } from '../formats/otlp/wire/messages.ts';
import { type IntakeCount, type SenderSight, writeIntake } from '../store/ingest/intakeFigures.ts';

/*
 * What comes in, counted as it comes. Figures are about telemetry, not part of it: they are gathered here and written every few
 * seconds, and a process that is killed loses those.
 */

const FLUSH_MS = 2_000;
const MOST_REASONS = 200;
const OTHER = 'other reasons';
const MOST_SENDERS = 2_000;

let counts = new Map<string, IntakeCount>();
let senders = new Map<string, SenderSight>();
let isTicking = false;
let flushing: Promise<void> | undefined;

/** Adds to what was counted of a signal in the present minute, under a reason where something was not taken. */
export function countIntake(
  signal: Signal,
  change: Partial<Omit<IntakeCount, 'minute' | 'signal' | 'reason'>>,
  reason = '',
): void {
  const minute = Math.floor(Date.now() / 60_000);
  const short = reason.slice(0, 200);
  const key = `${minute} ${signal} ${short}`;
  let count = counts.get(key);
  if (!count) {
    if (short !== '' && short !== OTHER && counts.size > MOST_REASONS) {
      countIntake(signal, change, OTHER);
      return;
    }
    count = { minute, signal, reason: short, requests: 0, records: 0, repeated: 0, bytes: 0, masked: 0, busyMs: 0, slowestMs: 0 };
    counts.set(key, count);
  }
  count.requests += change.requests ?? 0;
  count.records += change.records ?? 0;
  count.repeated += change.repeated ?? 0;
  count.bytes += change.bytes ?? 0;
  count.masked += change.masked ?? 0;
  count.busyMs += change.busyMs ?? 0;
  count.slowestMs = Math.max(count.slowestMs, change.slowestMs ?? 0);
  if (isTicking) return;
  isTicking = true;
  setInterval(() => void flushIntake(), FLUSH_MS).unref();
}

/** Notes who has sent how much of a signal. */
export function noteSender(seen: SenderSight): void {
  const { signal, service, version, sdk, instance } = seen;
  const key = [signal, service, version, sdk, instance].join('\0');
  const known = senders.get(key);
  if (known) {
    known.records += seen.records;
    known.withTrace += seen.withTrace;
    known.aheadMs = Math.max(known.aheadMs, seen.aheadMs);
    known.lastMs = seen.lastMs;
  } else if (senders.size < MOST_SENDERS) senders.set(key, { ...seen });
}

/** Writes what was counted since the last time. */
export async function flushIntake(): Promise<void> {
  await flushing;
  if (counts.size === 0 && senders.size === 0) return;
  const [countsNow, sendersNow] = [counts, senders];
  counts = new Map();
  senders = new Map();
  // What cannot be written now is about a time when nothing could be kept: it is dropped.
  flushing = writeIntake([...countsNow.values()], [...sendersNow.values()]).catch(() => {});
  await flushing;
}
