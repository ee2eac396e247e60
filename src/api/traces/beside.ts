import { group } from 'd3-array';
import { z } from 'zod';
import type { MeasureSeries } from '../../core/measures/measureSeries.ts';
import { capacities, leastMove, type Movement, movement } from '../../core/measures/movement.ts';
import { type HotLine, hotLines } from '../../core/profile/hotLines.ts';
import { instanceOf } from '../../core/trace/instance.ts';
import type { SamplesOfProfile } from '../../formats/otlp/record/profileSamples.ts';
import { readSpans } from '../../store/blocks/readTrace.ts';
import { measuresOf } from '../../store/measures/measures.ts';
import { blockersOf } from '../../store/traces/blockers.ts';
import { samplesOfSpan } from '../../store/traces/profileSamples.ts';
import { visitOfTrace } from '../../store/traces/visitOfTrace.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { spanIdText, traceIdText } from '../parameters.ts';

export type Beside = z.output<typeof beside.answer>;

/** Measures come by the minute: those around a span are taken from so long before it began until so long after it ended. */
const AROUND_NS = 120_000_000_000n;
const MOST_MEASURES = 40;
const MOST_LINES = 6;

const measure = z.object({
  name: z.string(),
  detail: z.string(),
  unit: z.string(),
  ofHost: z.boolean(),
  turn: z.enum(['up', 'down', 'flat', 'unknown']),
  before: z.number().nullable().meta({ description: 'The median of the window before.' }),
  lit: z.number().nullable().meta({ description: 'The median of the minutes around the span.' }),
});

const code = z.object({
  type: z.string(),
  unit: z.string(),
  samples: z.int(),
  total: z.number(),
  lines: z.array(
    z.object({
      name: z.string(),
      file: z.string(),
      line: z.int(),
      own: z.boolean(),
      below: z.string().nullable().meta({ description: 'The library frame in which most of it was, where it was in one.' }),
      samples: z.int(),
      value: z.number(),
      share: z.number(),
    }),
  ),
});

export const beside = endpoint({
  path: '/api/traces/{traceId}/spans/{spanId}/beside',
  least: 'reader',
  summary:
    'The context of a span: whom its database call waited for, where in the code samples were taken, what its instance and host measured, the visitor who waited.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, traceId: traceIdText, spanId: spanIdText }),
  answer: z.object({
    blockers: z
      .array(
        z.object({
          server: z.string(),
          session: z.string(),
          program: z.string(),
          state: z.string(),
          statement: z.string(),
          traceId: z.string(),
          samples: z.int(),
          depth: z.int(),
          isFirst: z.boolean().meta({ description: 'Whether it did not wait itself.' }),
        }),
      )
      .meta({ description: 'Sessions that its database call waited for, and those that these waited for.' }),
    code: z.array(code).meta({ description: 'Samples taken in it, by kind, each by the innermost line of own code.' }),
    service: z.string(),
    instance: z.string(),
    host: z.string(),
    measures: z.array(measure).meta({ description: 'Of its instance and that one’s host; what moved first.' }),
    visit: z
      .object({
        visitor: z.string(),
        session: z.string(),
        page: z.string(),
        name: z.string(),
        durationMs: z.number().nullable(),
      })
      .nullable(),
  }),
  run: async ({ traceId, spanId, ...query }) => {
    const [windows, [span]] = await Promise.all([windowsOf(query), readSpans(traceId, spanId)]);
    if (!span) throw new ApiError(404, `Span ${spanId} of trace ${traceId} is not kept.`);
    const { instance, host } = instanceOf(span.resource, span.service);
    const hosts = host === '' ? [] : [host];
    const { from, to } = windows.before;
    const [blockers, samples, visit, around, usual] = await Promise.all([
      blockersOf(traceId, spanId),
      samplesOfSpan(span),
      visitOfTrace(traceId, span.start),
      measuresOf(span.service, hosts, span.start - AROUND_NS, span.end + AROUND_NS),
      measuresOf(span.service, hosts, from, to),
    ]);
    const isOwn = (it: MeasureSeries) => (it.service === span.service ? it.instance === instance : it.host === host);
    return {
      blockers,
      code: byKind(samples),
      service: span.service,
      instance,
      host,
      visit,
      measures: moves(around.filter(isOwn), usual.filter(isOwn), span.service),
    };
  },
});

type Code = z.output<typeof code>;

/** Samples by what they measure; several profiles of one kind, as of two minutes, are one. */
function byKind(profiles: readonly SamplesOfProfile[]): Code[] {
  return [...group(profiles, ({ type, unit }) => `${type}\0${unit}`).values()]
    .map((of) => {
      const samples = of.flatMap((it) => it.samples);
      const lines = hotLines(samples).slice(0, MOST_LINES).map(described);
      const { type, unit } = of[0];
      return { type, unit, samples: samples.length, total: samples.reduce((sum, { value }) => sum + value, 0), lines };
    })
    .sort((a, b) => (a.type < b.type ? -1 : 1));
}

function described({ frame, ...line }: HotLine): Code['lines'][number] {
  return { ...frame, ...line };
}

function moves(around: readonly MeasureSeries[], usual: readonly MeasureSeries[], service: string): z.output<typeof measure>[] {
  const detailOf = ({ attributes }: MeasureSeries) => Object.values(attributes).map(String).join(' ');
  const keyOf = (it: MeasureSeries) => `${it.service === service}\0${it.name}\0${detailOf(it)}`;
  const capacityOf = capacities([...usual, ...around]);
  const before = new Map(usual.map((it) => [keyOf(it), it.points.map(([, value]) => value)]));
  const rank = ({ turn }: Movement) => ['up', 'down', 'flat', 'unknown'].indexOf(turn);
  return around
    .map((it) => ({
      name: it.name,
      detail: detailOf(it),
      unit: it.unit,
      ofHost: it.service !== service,
      ...movement(
        before.get(keyOf(it)) ?? [],
        it.points.map(([, value]) => value),
        leastMove(it.unit, capacityOf(it)),
      ),
    }))
    .filter(({ lit, before: then }) => lit !== 0 || then !== 0)
    .sort((a, b) => rank(a) - rank(b) || Number(a.ofHost) - Number(b.ofHost) || (a.name < b.name ? -1 : 1))
    .slice(0, MOST_MEASURES);
}
