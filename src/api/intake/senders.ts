import { z } from 'zod';
import { missingOf } from '../../core/intake/missing.ts';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { flushIntake } from '../../intake/meter.ts';
import { readSenders, type Sender } from '../../store/ingest/intakeFigures.ts';
import { endpoint } from '../endpoint.ts';

const answer = z.object({
  now: z.string(),
  senders: z.array(
    z.object({
      service: z.string(),
      version: z.string(),
      sdk: z.string(),
      signals: z.array(z.object({ signal: z.enum(SIGNALS), records: z.int(), first: z.string(), last: z.string() })),
      instances: z.int(),
      last: z.string(),
      missing: z.array(z.string()).meta({ description: 'What it leaves out that an investigation would miss.' }),
    }),
  ),
});

export type SenderList = z.output<typeof answer>;

export const senders = endpoint({
  path: '/api/intake/senders',
  least: 'reader',
  summary: 'Who is sending what, since when, and what is missing from it.',
  query: z.strictObject({}),
  answer,
  run: async () => {
    await flushIntake();
    const byService = new Map<string, Sender[]>();
    for (const row of await readSenders()) {
      const key = `${row.service}\0${row.version}\0${row.sdk}`;
      byService.set(key, [...(byService.get(key) ?? []), row]);
    }
    return {
      now: new Date().toISOString(),
      senders: [...byService.values()].map(describe).sort((a, b) => (a.last < b.last ? 1 : -1)),
    };
  },
});

function describe(rows: readonly Sender[]): z.input<typeof answer>['senders'][number] {
  const [{ service, version, sdk }] = rows;
  const bySignal = SIGNALS.flatMap((signal) => {
    const own = rows.filter((row) => row.signal === signal);
    return own.length > 0 ? [sumOf(signal, own)] : [];
  });
  return {
    service,
    version,
    sdk,
    signals: bySignal.map(({ signal, records, first, last }) => ({
      signal,
      records,
      first: new Date(first).toISOString(),
      last: new Date(last).toISOString(),
    })),
    instances: new Set(rows.map((row) => row.instance)).size,
    last: new Date(Math.max(...bySignal.map(({ last }) => last))).toISOString(),
    missing: [...new Set(bySignal.flatMap((it) => missingOf({ service, version, sdk, ...it })))],
  };
}

function sumOf(signal: Signal, rows: readonly Sender[]) {
  return {
    signal,
    records: rows.reduce((sum, row) => sum + row.records, 0),
    withTrace: rows.reduce((sum, row) => sum + row.withTrace, 0),
    aheadMs: Math.max(...rows.map((row) => row.aheadMs)),
    first: Math.min(...rows.map((row) => row.first.getTime())),
    last: Math.max(...rows.map((row) => row.last.getTime())),
  };
}
