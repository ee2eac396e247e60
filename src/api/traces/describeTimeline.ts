import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { describeProblems, type TraceAnalysis } from './analysis.ts';
import { failureAnswer, ledgerAnswer, problemAnswer } from './one.ts';

const ints = z.array(z.int());

/** Marks on bars beyond these are left out: more would not be distinguished. */
const MOST_EVENTS = 5000;

export const timelineAnswer = z.object({
  traceId: z.string(),
  /** Of a flow: all its traces, the first one first. */
  traces: z.array(z.string()),
  start: z.string(),
  durationNs: z.int(),
  services: z.array(z.string()),
  operations: z.array(z.string()).meta({ description: 'Names of spans, events and queues.' }),
  spans: z
    .object({
      id: z.array(z.string()),
      parent: ints,
      service: ints,
      operation: ints,
      kind: ints,
      startNs: ints,
      durationNs: ints,
      selfNs: ints,
    })
    .meta({
      description:
        'Columns of one length, depth first. parent, service and operation are positions; kind is OpenTelemetry’s number.',
    }),
  traceOf: ints.meta({ description: 'Of a flow: per span, its trace as a position in traces; else empty.' }),
  failures: z.array(z.object({ span: z.int(), part: failureAnswer.unwrap() })),
  chains: z
    .array(z.object({ party: z.string(), spans: ints }))
    .meta({ description: 'How each failure went up, from where it began to the last caller that failed with it.' }),
  retried: ints,
  attempts: z.array(z.object({ tries: ints, madeGood: z.boolean() })).meta({ description: 'Calls that were made again.' }),
  gaveUp: z
    .array(z.object({ caller: z.int(), callee: z.int(), wentOnNs: z.int() }))
    .meta({ description: 'Calls whose callee went on after the caller had given them up.' }),
  cancelled: ints,
  path: z.object({
    span: ints,
    startNs: ints,
    endNs: ints,
    queued: ints.meta({
      description: 'Positions of the stretches that were waits in a queue, before the span took its message.',
    }),
  }),
  ledger: ledgerAnswer,
  litBy: z.array(ints).meta({ description: 'Per line of the ledger: the spans whose time is in it.' }),
  folds: z
    .array(
      z.object({
        members: ints,
        totalNs: z.int(),
        minNs: z.int(),
        medianNs: z.int(),
        maxNs: z.int(),
        onPathNs: z.int(),
        failed: z.int(),
        manySmall: z.boolean(),
      }),
    )
    .meta({ description: 'Like siblings, at least four.' }),
  waits: z
    .array(z.object({ span: z.int(), samples: z.int(), lock: z.number(), io: z.number(), event: z.string() }))
    .meta({ description: 'Database calls with session samples: the shares of their time spent waiting.' }),
  queues: z
    .array(z.object({ producer: z.int(), consumer: z.int(), destination: z.string(), startNs: z.int(), endNs: z.int() }))
    .meta({ description: 'Where messages waited to be taken.' }),
  events: z.object({ span: ints, startNs: ints, name: ints }),
  hasMessages: z.boolean().meta({ description: 'Whether it sent or took messages, so that other traces may be joined to it.' }),
  running: z
    .array(z.object({ service: z.string(), operation: z.string(), ageMs: z.number() }))
    .meta({ description: 'What still runs of it, as its services told last, the oldest first.' }),
  complete: z.boolean().meta({ description: 'false: a flow of so many traces that some were left out.' }),
  problems: problemAnswer,
});

export type TraceTimeline = z.output<typeof timelineAnswer>;

/** An analysis as it is drawn: without attributes, in columns, so that very large traces open fast. */
export function describeTimeline(
  analysis: TraceAnalysis,
  traceId: string,
  running: TraceTimeline['running'] = [],
): TraceTimeline {
  const { trace, durationNs, selfNs, roles, path, ledger, waits } = analysis;
  const { nodes } = trace;
  const services = new Numbering();
  const operations = new Numbering();
  const traces = new Numbering();
  traces.of(nodes[trace.roots[0]].span.traceId);
  const traceOf = nodes.map(({ span }) => traces.of(span.traceId));
  const events = nodes
    .flatMap(({ span, shift }, at) =>
      span.events.map((event) => ({ at, name: event.name, startNs: Number(event.time - trace.start) + shift })),
    )
    .slice(0, MOST_EVENTS);
  return {
    traceId,
    running,
    traces: traces.texts,
    start: formatIso(trace.start),
    durationNs,
    spans: {
      id: nodes.map(({ span }) => span.spanId as string),
      parent: nodes.map(({ parent }) => parent),
      service: nodes.map(({ span }) => services.of(span.service)),
      operation: nodes.map(({ span }) => operations.of(span.name)),
      kind: nodes.map(({ span }) => SPAN_KINDS.indexOf(span.kind)),
      startNs: nodes.map(({ start }) => start),
      durationNs: nodes.map(({ start, end }) => end - start),
      selfNs: [...selfNs],
    },
    traceOf: traces.texts.length > 1 ? traceOf : [],
    failures: roles.flatMap((part, span) => (part ? [{ span, part }] : [])),
    chains: analysis.chains.map(({ party, spans }) => ({ party, spans: [...spans] })),
    retried: [...analysis.retried],
    attempts: analysis.attempts.map(({ tries, madeGood }) => ({ tries: [...tries], madeGood })),
    gaveUp: [...analysis.gaveUp],
    cancelled: [...analysis.cancelled],
    path: {
      span: path.map(({ node }) => node),
      startNs: path.map(({ start }) => start),
      endNs: path.map(({ end }) => end),
      queued: path.flatMap(({ queue }, at) => (queue === undefined ? [] : [at])),
    },
    ledger: ledger.map(({ party, kind, durationNs: ns, share }) => ({ party, kind, durationNs: ns, share })),
    litBy: ledger.map((line) => [...line.nodes]),
    folds: analysis.folds.map(({ parent: _, members, ...rest }) => ({ members: [...members], ...rest })),
    waits: [...waits].map(([span, { samples, lock, io }]) => ({
      span,
      samples: samples.length,
      lock,
      io,
      event: commonest(samples.map((it) => it.waitEvent).filter((it) => it !== '')),
    })),
    queues: analysis.queues.map(({ start, end, ...rest }) => ({ ...rest, startNs: start, endNs: end })),
    events: {
      span: events.map(({ at }) => at),
      startNs: events.map(({ startNs }) => startNs),
      name: events.map(({ name }) => operations.of(name)),
    },
    hasMessages: nodes.some(({ span }) => span.kind === 'producer' || span.links.length > 0),
    complete: analysis.complete,
    problems: describeProblems(trace),
    services: services.texts,
    operations: operations.texts,
  };
}

function commonest(words: readonly string[]): string {
  const counts = new Map<string, number>();
  for (const word of words) counts.set(word, (counts.get(word) ?? 0) + 1);
  return [...counts].sort(([, a], [, b]) => b - a)[0]?.[0] ?? '';
}

/** Numbers texts in the order they first come. */
class Numbering {
  readonly texts: string[] = [];
  readonly #numbers = new Map<string, number>();

  of(text: string): number {
    const known = this.#numbers.get(text);
    if (known !== undefined) return known;
    this.#numbers.set(text, this.texts.length);
    return this.texts.push(text) - 1;
  }
}
