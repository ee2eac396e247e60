import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { shownName } from '../../ui/list/shownName.ts';
import { foldRow } from './timeline/outline.ts';

/** A sentence about a trace, and the span that it is about. */
export interface Sentence {
  readonly text: string;
  readonly span: number;
}

/** A part of the whole that is worth a sentence. */
const NOTABLE = 0.15;
const MOST = 3;

/**
 * Where one looks first: of the operations in the largest line of the ledger the one with most of the critical path, and of its spans the
 * one with most.
 */
export function mainSpan(trace: TraceTimeline): number {
  const own = ownOnPath(trace);
  const { service, operation } = trace.spans;
  const sums = new Map<string, { sum: number; span: number }>();
  for (const span of trace.litBy[0] ?? []) {
    const key = `${service[span]} ${operation[span]}`;
    const known = sums.get(key) ?? { sum: 0, span };
    sums.set(key, { sum: known.sum + own[span], span: own[span] > own[known.span] ? span : known.span });
  }
  return [...sums.values()].reduce((best, it) => (it.sum > best.sum ? it : best), { sum: -1, span: 0 }).span;
}

/** The row to begin at: the main span, or the fold that it is in. */
export function mainRow(trace: TraceTimeline): number {
  const span = mainSpan(trace);
  const fold = trace.folds.findIndex(({ members }) => members.includes(span));
  return fold < 0 ? span : foldRow(fold);
}

/** Per span: its own part of the critical path, nanoseconds. */
export function ownOnPath({ spans, path }: TraceTimeline): Float64Array {
  const own = new Float64Array(spans.id.length);
  for (const [at, span] of path.span.entries()) own[span] += path.endNs[at] - path.startNs[at];
  // What its message waited is not the taker's own.
  for (const at of path.queued) own[path.span[at]] -= path.endNs[at] - path.startNs[at];
  return own;
}

/** What a trace says of itself in a few sentences: where most of the time went, what was done too often, what was tried again. */
export function story(trace: TraceTimeline): Sentence[] {
  const { ledger, spans, folds, attempts, gaveUp, queues, waits, durationNs } = trace;
  const nameOf = (span: number) => shownName(trace.operations[spans.operation[span]]);
  const serviceOf = (span: number) => shownName(trace.services[spans.service[span]]);
  const sentences: Sentence[] = [];
  const [first] = ledger;
  if (first && first.share >= NOTABLE && first.kind !== 'queue') {
    const span = mainSpan(trace);
    const what = first.kind === 'own' ? 'own code' : KIND_WORDS[first.kind];
    sentences.push({
      text: `${formatDuration(first.durationNs)} of it is ${shownName(first.party)} ${what}, most in ${nameOf(span)}`,
      span,
    });
  }
  for (const { consumer, destination, startNs, endNs } of queues)
    if (endNs - startNs >= NOTABLE * durationNs)
      sentences.push({
        text: `a message waited ${formatDuration(endNs - startNs)} in ${shownName(destination)} until ${serviceOf(consumer)} took it`,
        span: consumer,
      });
  for (const { members, totalNs, onPathNs, manySmall } of folds)
    if (manySmall && onPathNs >= NOTABLE * durationNs)
      sentences.push({
        text: `${nameOf(members[0])} is asked ${members.length} times, one small query after the other, ${formatDuration(totalNs)} in all`,
        span: members[0],
      });
  const isTold = first && (first.kind === 'lock' || first.kind === 'io');
  for (const { span, lock, io, event } of waits) {
    const share = Math.max(lock, io);
    if (!isTold && share > 0 && share * spans.durationNs[span] >= NOTABLE * durationNs)
      sentences.push({
        text: `${nameOf(span)} waited for ${lock >= io ? 'a lock' : 'storage'}${event ? ` (${event})` : ''} in ${Math.round(100 * share)} % of its samples`,
        span,
      });
  }
  for (const { tries, madeGood } of attempts)
    sentences.push({
      text: `${nameOf(tries[0])} was tried ${tries.length} times by ${serviceOf(tries[0])}, ${madeGood ? 'the last went well' : 'in vain'}`,
      span: tries[0],
    });
  for (const { caller, callee, wentOnNs } of gaveUp)
    sentences.push({
      text: `${serviceOf(caller)} gave ${nameOf(callee)} up; ${serviceOf(callee)} went on for ${formatDuration(wentOnNs)}`,
      span: callee,
    });
  return sentences.slice(0, MOST);
}
