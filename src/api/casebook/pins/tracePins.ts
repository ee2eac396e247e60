import type { TimelineEvidence } from '../../../core/casebook/evidence/evidence.ts';
import { attributeText } from '../../../core/trace/attributeText.ts';
import type { Attributes } from '../../../core/trace/span.ts';
import { KIND_WORDS } from '../../../core/trace/time/kindWords.ts';
import { compare } from '../../traces/compare.ts';
import type { TraceTimeline } from '../../traces/describeTimeline.ts';
import { oneSpan } from '../../traces/span.ts';
import { timeline } from '../../traces/timeline.ts';
import { about, type PinSource, pinSource } from './pinSource.ts';

/** Spans of a frozen timeline: those of the critical path and the longest. */
const MOST_SPANS = 120;
const MOST_FACTS = 120;
const MOST_ROWS = 60;

export const TRACE_PINS = {
  trace: pinSource(timeline, (it) => ({
    title: `Trace ${shortId(it.traceId)}`,
    about: aboutTrace(it),
    evidence: [timelineOf(it), ledgerOf(it)],
  })),

  ledger: pinSource(timeline, (it) => ({
    title: `Trace ${shortId(it.traceId)}: where the time went`,
    about: aboutTrace(it),
    evidence: [ledgerOf(it)],
  })),

  span: pinSource(oneSpan, (it) => ({
    title: `${it.operation} in ${it.service}`,
    about: [...about('service', [it.service]), ...about('operation', [it.operation])],
    evidence: [
      {
        form: 'facts',
        title: `Span ${it.spanId} of trace ${it.traceId}`,
        facts: [
          ['operation', it.operation],
          ['service', it.service],
          ['kind', it.kind],
          ['start', it.start],
          ['end', it.end],
          ['status', [it.status, it.statusMessage].filter((text) => text !== '').join(': ')],
          ...factsOf(it.attributes),
          ...factsOf(it.resource),
        ].slice(0, MOST_FACTS) as [string, string][],
      },
      ...(it.events.length === 0
        ? []
        : [
            {
              form: 'table' as const,
              title: 'Events',
              columns: [
                { title: 'after', unit: 'duration' as const },
                { title: 'event', unit: 'text' as const },
                { title: 'attributes', unit: 'text' as const },
              ],
              rows: it.events.slice(0, MOST_ROWS).map(({ name, startNs, attributes }) => [
                startNs,
                name,
                factsOf(attributes)
                  .map(([key, value]) => `${key}=${value}`)
                  .join(' ')
                  .slice(0, 2_000),
              ]),
              leftOut: Math.max(0, it.events.length - MOST_ROWS),
            },
          ]),
    ],
  })),

  comparison: pinSource(compare, ({ a, b, ledger, rows }) => {
    const sideWords = (side: typeof a) =>
      side.traceId ? `trace ${shortId(side.traceId)}` : `${side.traces} typical of ${side.of}`;
    return {
      title: `${b.operation}: ${sideWords(b)} against ${sideWords(a)}`,
      about: [
        ...about(
          'service',
          rows.map(({ service }) => service),
        ),
        ...about('operation', [b.operation]),
      ],
      evidence: [
        {
          form: 'parts',
          title: 'Where the difference sits',
          unit: 'duration',
          whole: null,
          parts: ledger
            .slice(0, MOST_ROWS)
            .map(({ party, kind, aNs, bNs }) => ({ name: party, note: KIND_WORDS[kind], kind, value: bNs, before: aNs })),
        },
        {
          form: 'figures',
          title: 'Both',
          figures: [{ name: 'takes', unit: 'duration', before: a.durationNs, lit: b.durationNs, note: '' }],
        },
      ],
    };
  }),
} satisfies Record<string, PinSource>;

function shortId(id: string): string {
  return `${id.slice(0, 4)}…${id.slice(-4)}`;
}

function aboutTrace(it: TraceTimeline): string[] {
  const first = it.spans.operation[0];
  return [
    ...about('operation', first === undefined ? [] : [it.operations[first]]),
    ...about(
      'party',
      it.ledger.filter(({ share }) => share >= 0.1).map(({ party, kind }) => `${party} ${kind}`),
    ),
  ];
}

function ledgerOf(it: TraceTimeline) {
  return {
    form: 'parts' as const,
    title: 'Where the time went',
    unit: 'duration' as const,
    whole: it.durationNs,
    parts: it.ledger.map(({ party, kind, durationNs }) => ({
      name: party,
      note: KIND_WORDS[kind],
      kind,
      value: durationNs,
      before: null,
    })),
  };
}

/** The spans that tell most: of the critical path, failed, and the longest; each with those above it. */
function timelineOf(it: TraceTimeline): TimelineEvidence {
  const { parent, durationNs, startNs, service, operation } = it.spans;
  const count = parent.length;
  const path = new Map<number, [number, number][]>();
  for (const [at, span] of it.path.span.entries())
    path.set(span, [...(path.get(span) ?? []), [it.path.startNs[at], it.path.endNs[at]]]);
  const failed = new Set(it.failures.map(({ span }) => span));
  const onPath = (span: number) => (path.get(span) ?? []).reduce((sum, [from, to]) => sum + to - from, 0);
  const byTelling = Array.from({ length: count }, (_, span) => span).sort(
    (a, b) => onPath(b) - onPath(a) || Number(failed.has(b)) - Number(failed.has(a)) || durationNs[b] - durationNs[a],
  );
  const kept = new Set<number>();
  for (const span of byTelling) {
    if (kept.size >= MOST_SPANS) break;
    for (let at = span; at >= 0 && !kept.has(at); at = parent[at]) kept.add(at);
  }
  const depths: number[] = [];
  for (let span = 0; span < count; span++) depths[span] = parent[span] < 0 ? 0 : depths[parent[span]] + 1;
  return {
    form: 'timeline',
    title: 'Its spans, with the critical path',
    durationNs: it.durationNs,
    spans: [...kept]
      .sort((a, b) => a - b)
      .map((span) => ({
        depth: depths[span],
        service: it.services[service[span]],
        name: it.operations[operation[span]],
        startNs: startNs[span],
        durationNs: durationNs[span],
        failed: failed.has(span),
        path: path.get(span) ?? [],
      })),
    leftOut: count - kept.size,
  };
}

function factsOf(attributes: Attributes): [string, string][] {
  return Object.entries(attributes).map(([name, value]) => [name, (attributeText(value) ?? '').slice(0, 4_000)]);
}
