import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { timeKind } from '../../core/trace/timeKind.ts';
import { endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';
import { analyseTrace, describeProblems } from './analysis.ts';
import { failureAnswer, ledgerAnswer, problemAnswer } from './one.ts';

const ints = z.array(z.int());

export type TraceTimeline = z.output<typeof timeline.answer>;

export const timeline = endpoint({
  path: '/api/traces/{traceId}/timeline',
  summary: 'One trace as it is drawn: without attributes, in columns, so that very large traces open fast.',
  query: z.strictObject({ traceId: traceIdText }),
  answer: z.object({
    traceId: z.string(),
    start: z.string(),
    durationNs: z.int(),
    services: z.array(z.string()),
    operations: z.array(z.string()),
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
    failures: z.array(z.object({ span: z.int(), part: failureAnswer.unwrap() })),
    retried: ints,
    path: z.object({ span: ints, startNs: ints, endNs: ints }),
    ledger: ledgerAnswer,
    lineOf: ints.meta({
      description: 'Per span: the line of the ledger that its own time on the path is in, −1 when it has none.',
    }),
    problems: problemAnswer,
  }),
  run: async ({ traceId }) => {
    const { trace, durationNs, selfNs, roles, retried, path, ledger } = await analyseTrace(traceId);
    const lineOf = trace.nodes.map(() => -1);
    for (const { node } of path) {
      const { place, kind } = timeKind(trace, node);
      lineOf[node] = ledger.findIndex((line) => line.place === place && line.kind === kind);
    }
    const services = new Numbering();
    const operations = new Numbering();
    return {
      traceId,
      start: formatIso(trace.start),
      durationNs,
      spans: {
        id: trace.nodes.map(({ span }) => span.spanId as string),
        parent: trace.nodes.map(({ parent }) => parent),
        service: trace.nodes.map(({ span }) => services.of(span.service)),
        operation: trace.nodes.map(({ span }) => operations.of(span.name)),
        kind: trace.nodes.map(({ span }) => SPAN_KINDS.indexOf(span.kind)),
        startNs: trace.nodes.map(({ start }) => start),
        durationNs: trace.nodes.map(({ start, end }) => end - start),
        selfNs: [...selfNs],
      },
      services: services.texts,
      operations: operations.texts,
      failures: roles.flatMap((part, span) => (part ? [{ span, part }] : [])),
      retried: [...retried],
      path: { span: path.map(({ node }) => node), startNs: path.map(({ start }) => start), endNs: path.map(({ end }) => end) },
      ledger: [...ledger],
      lineOf,
      problems: describeProblems(trace),
    };
  },
});

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
