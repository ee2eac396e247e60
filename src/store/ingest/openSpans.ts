import { group } from 'd3-array';
import { instanceOf } from '../../core/trace/instance.ts';
import { databaseSystem, protocolOf } from '../../core/trace/peer.ts';
import { SPAN_KINDS, type SpanKind } from '../../core/trace/span.ts';
import type { Origin } from '../../formats/otlp/span/decodeTraces.ts';
import type { HeadScan } from '../../formats/otlp/span/spanHead.ts';
import { serviceOf } from '../../formats/otlp/span/spanRecord.ts';
import { type Copy, copyOf } from '../database/copyRows.ts';
import { dayOf, reassignDays } from '../retention/days.ts';

/** A span that was sent before it ended: its request runs. */
export interface OpenSpan {
  readonly traceId: string;
  readonly spanId: string;
  readonly service: string;
  readonly instance: string;
  readonly name: string;
  readonly kind: SpanKind;
  readonly startNs: bigint;
  /** What its request waits for while it is open: `database`, `http` or another protocol; empty when it works itself. */
  readonly wait: string;
}

const LONGEST_NAME = 500;

/** @param head of a span that has not ended */
export function openSpan(
  { bytes, traceAt, spanAt, name, kind, startHigh, startLow, told }: HeadScan,
  { resource }: Origin,
): OpenSpan {
  const service = serviceOf(resource);
  const isCall = SPAN_KINDS[kind] === 'client' || SPAN_KINDS[kind] === 'producer';
  return {
    traceId: bytes.toString('hex', traceAt, traceAt + 16),
    spanId: bytes.toString('hex', spanAt, spanAt + 8),
    service,
    instance: instanceOf(resource, service).instance,
    name: name.slice(0, LONGEST_NAME),
    kind: SPAN_KINDS[kind],
    startNs: (BigInt(startHigh) << 32n) | BigInt(startLow),
    wait: !isCall ? '' : databaseSystem(told) !== undefined ? 'database' : protocolOf(told),
  };
}

/**
 * What runs, by spans that came before they ended: one row for each instance that works on a request. What was asked of it is its open span that
 * began first, what it is doing the one that began last. As old as it is now: the sender says nothing of when it sent it.
 */
export async function openSpanRows(spans: readonly OpenSpan[]): Promise<Copy[]> {
  if (spans.length === 0) return [];
  const timeNs = BigInt(Date.now()) * 1_000_000n;
  const [first] = [dayOf(timeNs)];
  const day = (await reassignDays('logs', [first]))(first);
  const rows = [...group(spans, (it) => JSON.stringify([it.traceId, it.service, it.instance])).values()].map((of) => {
    const [asked, ...others] = of.sort((a, b) => (a.startNs < b.startNs ? -1 : 1));
    const doing = others.at(-1) ?? asked;
    const ageMs = Math.max(0, Number(timeNs - asked.startNs) / 1e6);
    const step = doing === asked ? '' : doing.name;
    return [
      day,
      timeNs,
      asked.service,
      asked.instance,
      asked.traceId,
      asked.spanId,
      asked.name,
      step,
      ageMs,
      doing.wait,
      '',
      true,
    ];
  });
  const columns = [
    'day',
    'time_ns',
    'service',
    'instance',
    'trace_id',
    'span_id',
    'operation',
    'step',
    'age_ms',
    'wait',
    'stack',
    'open_span',
  ];
  return [copyOf('in_flight', columns, rows)];
}
