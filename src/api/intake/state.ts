import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { flushIntake } from '../../intake/meter.ts';
import { retentionSettings } from '../../server/housekeeping.ts';
import { FOLDED_KINDS, foldedNames } from '../../store/dictionaries/foldedNames.ts';
import { type IntakeCount, readIntake } from '../../store/ingest/intakeFigures.ts';
import { today } from '../../store/retention/days.ts';
import { spareBytes } from '../../store/retention/hours.ts';
import { readDroppedDays } from '../../store/retention/retention.ts';
import { asideLeft } from '../../store/retention/setAside.ts';
import { type StoredDay, storeBytes, storedDays } from '../../store/retention/storage.ts';
import { endpoint } from '../endpoint.ts';
import { heldNow } from '../otlp/receive.ts';
import { wholeNumber } from '../parameters.ts';

const signalName = z.enum(SIGNALS);
const figures = z.object({
  signal: signalName,
  requests: z.int().meta({ description: 'Requests that were stored, including repeated ones.' }),
  records: z.int().meta({ description: 'Spans, log records, data points or profiles that were stored.' }),
  repeated: z.int().meta({ description: 'Requests that had come before, and changed nothing.' }),
  bytes: z.int().meta({ description: 'As they came over the wire.' }),
  masked: z.int().meta({ description: 'Things that were masked before they were stored.' }),
  meanMs: z.number().nullable().meta({ description: 'From a request being there to its answer.' }),
  slowestMs: z.number(),
  perMinute: z.array(z.int()).meta({ description: 'Records stored in each minute of the window, the current one last.' }),
});
const stored = z.object({
  signal: signalName,
  days: z.int(),
  records: z.int(),
  bytes: z.int(),
  oldest: z.string().nullable(),
  newest: z.string().nullable(),
  keepDays: z.number(),
  clockOutOfRange: z.int().meta({ description: 'Records whose clock was out of range; stored separately.' }),
});

export type IntakeState = z.output<typeof state.answer>;

export const state = endpoint({
  path: '/api/intake',
  least: 'reader',
  summary: 'What comes in and what is stored: accepted, refused and why, lag, days, sizes.',
  query: z.strictObject({ minutes: wholeNumber(1, 1440, 60) }),
  answer: z.object({
    now: z.string(),
    signals: z.array(figures),
    refused: z.array(z.object({ signal: signalName, reason: z.string(), records: z.int(), requests: z.int(), last: z.string() })),
    folded: z
      .array(z.object({ service: z.string(), kind: z.enum(FOLDED_KINDS) }))
      .meta({ description: 'Services that sent more names of a kind than are told apart; the others are counted as one.' }),
    aside: z
      .object({ blocks: z.int(), records: z.int() })
      .meta({ description: 'What an older schema held and is still to be taken in again.' }),
    held: z.object({
      requests: z.int(),
      mostRequests: z.int(),
      bytes: z.int(),
      mostBytes: z.int(),
      waiting: z.int(),
      memoryBytes: z.int().meta({ description: 'Of the process that answers.' }),
    }),
    stored: z.array(stored),
    bytes: z.int().meta({ description: 'Of the whole database.' }),
    spareBytes: z.int().meta({ description: 'Of these, what hours left that were dropped: what comes next takes it.' }),
    mostBytes: z.int(),
    dropped: z.array(
      z.object({
        at: z.string(),
        signal: signalName,
        day: z.string(),
        until: z.string().nullable().meta({ description: 'Of a day that went on: what was of before this moment.' }),
        reason: z.string(),
        records: z.int(),
        bytes: z.int(),
      }),
    ),
  }),
  run: async ({ minutes }) => {
    await flushIntake();
    const from = Math.floor(Date.now() / 60_000) - minutes + 1;
    const [counts, days, bytes, spare, dropped, folded, aside] = await Promise.all([
      readIntake(from),
      storedDays(),
      storeBytes(),
      spareBytes(today()),
      readDroppedDays(),
      foldedNames(),
      asideLeft(),
    ]);
    const { days: keep, mostBytes } = retentionSettings();
    const { requests, mostRequests, bytes: heldBytes, mostBytes: mostHeld, waiting } = heldNow();
    return {
      now: new Date().toISOString(),
      signals: SIGNALS.map((signal) => figuresOf(signal, counts, from, minutes)),
      refused: refusedIn(counts),
      folded,
      aside,
      held: { requests, mostRequests, bytes: heldBytes, mostBytes: mostHeld, waiting, memoryBytes: process.memoryUsage.rss() },
      stored: SIGNALS.map((signal) => storedOf(signal, days, keep[signal])),
      bytes,
      spareBytes: Math.round(spare),
      mostBytes,
      dropped: dropped.map(({ at, signal, day, until, reason, records, bytes: size }) => ({
        at: at.toISOString(),
        signal: signal as Signal,
        day: day === 0 ? 'clockOutOfRange' : new Date(day * 86_400_000).toISOString().slice(0, 10),
        until: until?.toISOString() ?? null,
        reason,
        records,
        bytes: size,
      })),
    };
  },
});

function figuresOf(signal: Signal, counts: readonly IntakeCount[], from: number, minutes: number): z.input<typeof figures> {
  const own = counts.filter((it) => it.signal === signal && it.reason === '');
  const sum = (read: (count: IntakeCount) => number) => own.reduce((total, it) => total + read(it), 0);
  const requests = sum((it) => it.requests);
  const perMinute = new Array<number>(minutes).fill(0);
  for (const { minute, records } of own) if (minute - from < minutes) perMinute[minute - from] += records;
  return {
    signal,
    requests,
    records: sum((it) => it.records),
    repeated: sum((it) => it.repeated),
    bytes: sum((it) => it.bytes),
    masked: sum((it) => it.masked),
    meanMs: requests > 0 ? sum((it) => it.busyMs) / requests : null,
    slowestMs: own.reduce((most, it) => Math.max(most, it.slowestMs), 0),
    perMinute,
  };
}

function refusedIn(counts: readonly IntakeCount[]) {
  const byReason = new Map<string, { signal: Signal; reason: string; records: number; requests: number; last: number }>();
  for (const { signal, reason, records, requests, minute } of counts) {
    if (reason === '') continue;
    const key = `${signal} ${reason}`;
    const known = byReason.get(key) ?? { signal, reason, records: 0, requests: 0, last: 0 };
    byReason.set(key, { ...known, records: known.records + records, requests: known.requests + requests, last: minute });
  }
  return [...byReason.values()]
    .sort((a, b) => b.last - a.last || b.requests + b.records - a.requests - a.records)
    .slice(0, 50)
    .map((it) => ({ ...it, last: new Date(it.last * 60_000).toISOString() }));
}

function storedOf(signal: Signal, days: readonly StoredDay[], keepDays: number): z.input<typeof stored> {
  const own = days.filter((it) => it.signal === signal);
  const inTime = own.filter((it) => it.day !== 0 && it.records > 0);
  const least = inTime.reduce<bigint | null>((first, it) => (first === null || it.first! < first ? it.first : first), null);
  const most = inTime.reduce<bigint | null>((last, it) => (last === null || it.last! > last ? it.last : last), null);
  return {
    signal,
    days: inTime.length,
    records: inTime.reduce((sum, it) => sum + it.records, 0),
    bytes: own.reduce((sum, it) => sum + it.bytes, 0),
    oldest: least === null ? null : formatIso(least),
    newest: most === null ? null : formatIso(most),
    keepDays,
    clockOutOfRange: own.find((it) => it.day === 0)?.records ?? 0,
  };
}
