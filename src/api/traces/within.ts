import { z } from 'zod';
import { environmentOf } from '../../core/accounts/environment.ts';
import type { Attributes, AttributeValue, Span } from '../../core/trace/span.ts';
import { readSpans } from '../../store/blocks/readTrace.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { traceIdText } from '../parameters.ts';

export type TraceColumn = z.output<typeof column.answer>;
export type TraceFinds = z.output<typeof find.answer>;

const MOST_KEYS = 400;
const LONGEST_TEXT = 200;

export const column = endpoint({
  path: '/api/traces/{traceId}/attributes',
  least: 'reader',
  summary: 'The attributes that the spans of a trace have, and the values of one of them, span by span.',
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText, key: z.string().optional() }),
  answer: z.object({
    keys: z.array(z.object({ key: z.string(), spans: z.int(), distinct: z.int() })),
    values: z.array(z.object({ spanId: z.string(), text: z.string() })),
    environments: z.array(z.string()).meta({ description: 'That its spans are of.' }),
  }),
  raw: { what: 'an attribute of a trace', of: ({ values, environments }) => (values.length === 0 ? [] : environments) },
  run: async ({ traceId, key }) => {
    const spans = await spansOf(traceId);
    const counts = new Map<string, { spans: number; texts: Set<string> }>();
    for (const { attributes, resource } of spans)
      for (const [name, value] of [...Object.entries(attributes), ...Object.entries(resource)]) {
        const count = counts.get(name) ?? { spans: 0, texts: new Set() };
        counts.set(name, count);
        count.spans++;
        if (count.texts.size < 1000) count.texts.add(textOf(value));
      }
    return {
      environments: [...new Set(spans.map(({ resource }) => environmentOf(resource)))],
      keys: [...counts]
        .map(([name, count]) => ({ key: name, spans: count.spans, distinct: count.texts.size }))
        .sort((a, b) => (a.key < b.key ? -1 : 1))
        .slice(0, MOST_KEYS),
      values:
        key === undefined
          ? []
          : spans.flatMap(({ spanId, attributes, resource }) => {
              // Every object has a `constructor`: only what the span itself says counts.
              const own = Object.hasOwn(attributes, key) ? attributes : resource;
              return Object.hasOwn(own, key) ? [{ spanId, text: textOf(own[key]).slice(0, LONGEST_TEXT) }] : [];
            }),
    };
  },
});

export const find = endpoint({
  path: '/api/traces/{traceId}/find',
  least: 'reader',
  summary:
    'The spans of a trace that have a text in their names, attributes, events or status, whatever the case of its letters.',
  runs: 'analysis',
  query: z.strictObject({ traceId: traceIdText, text: z.string().min(1).max(500) }),
  answer: z.object({
    found: z.array(
      z.object({ spanId: z.string(), where: z.string().meta({ description: 'The attribute, event or other part.' }) }),
    ),
  }),
  run: async ({ traceId, text }) => {
    const sought = text.toLowerCase();
    return {
      found: (await spansOf(traceId)).flatMap((span) => {
        const where = partWith(span, sought);
        return where === undefined ? [] : [{ spanId: span.spanId, where }];
      }),
    };
  },
});

async function spansOf(traceId: Parameters<typeof readSpans>[0]): Promise<Span[]> {
  const spans = await readSpans(traceId);
  if (spans.length === 0) throw new ApiError(404, `No span of trace ${traceId} is kept.`);
  return spans;
}

function partWith(span: Span, sought: string): string | undefined {
  const has = (text: string) => text.toLowerCase().includes(sought);
  if (has(span.name)) return 'operation';
  if (has(span.service)) return 'service';
  if (has(span.spanId)) return 'span id';
  if (has(span.statusMessage)) return 'status message';
  return (
    keyWith(span.attributes, has) ??
    span.events.map((event) => (has(event.name) ? 'event' : keyWith(event.attributes, has))).find((it) => it !== undefined) ??
    keyWith(span.resource, has)
  );
}

function keyWith(attributes: Attributes, has: (text: string) => boolean): string | undefined {
  return Object.entries(attributes).find(([key, value]) => has(key) || has(textOf(value)))?.[0];
}

function textOf(value: AttributeValue): string {
  return typeof value === 'string' ? value : JSON.stringify(value);
}
