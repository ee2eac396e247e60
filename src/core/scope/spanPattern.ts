import { parseDuration } from '../time/duration.ts';
import { attributeText } from '../trace/attributeText.ts';
import type { Attributes, EpochNanos, SpanId, SpanKind } from '../trace/span.ts';
import { type Condition, fitsPositive, isNegative } from './condition.ts';

/** What must hold for one span. */
export interface SpanStep {
  readonly conditions: readonly Condition[];
  /** How it stands to the step before it: anywhere under that span, or right under it; null for the first. */
  readonly under: 'any' | 'direct' | null;
}

/** Spans one under the other: "service is holds above service is berths and duration over 1s". */
export type SpanPattern = readonly SpanStep[];

/** A span as patterns look at it. */
export interface PatternSpan {
  readonly spanId: SpanId;
  readonly parentSpanId: SpanId | null;
  readonly service: string;
  readonly name: string;
  readonly start: EpochNanos;
  readonly kind: SpanKind;
  readonly durationNs: number;
  readonly failed: boolean;
  readonly attributes: Attributes;
  readonly resource: Attributes;
}

/** Whether a condition holds for a span. */
export function spanFits(span: PatternSpan, it: Condition): boolean {
  const { field, operator, values } = it;
  if (field === 'duration') return comparesAs(span.durationNs, operator, parseDuration(values[0]) ?? 0);
  const text = textOf(span, field);
  const fits = text !== undefined && fitsPositive(it, text);
  return isNegative(operator) ? !fits : fits;
}

/** Whether a number is to a bound as a comparison says; what is no comparison asks for at most. */
export function comparesAs(value: number, operator: Condition['operator'], bound: number): boolean {
  if (operator === 'over') return value > bound;
  if (operator === 'under') return value < bound;
  return operator === 'at least' ? value >= bound : value <= bound;
}

function textOf(span: PatternSpan, field: string): string | undefined {
  switch (field) {
    case 'service':
      return span.service;
    case 'operation':
      return span.name;
    case 'kind':
      return span.kind;
    case 'failed':
      return span.failed ? 'yes' : 'no';
    default:
      return attributeText(span.attributes[field] ?? span.resource[field]);
  }
}

/**
 * Whether spans of a request stand to each other as a pattern says. O(spans × depth) at most. What is broken does no harm: a parent that is
 * absent ends the way up, and so does a circle.
 *
 * @param onlyRoot whether the first step is the request's root alone
 */
export function patternFits(pattern: SpanPattern, spans: readonly PatternSpan[], onlyRoot = false): boolean {
  const byId = new Map(spans.map((span) => [span.spanId, span]));
  const root = onlyRoot ? rootOf(spans) : undefined;
  let reached: ReadonlySet<PatternSpan> = new Set(
    spans.filter((span) => (!onlyRoot || span === root) && pattern[0].conditions.every((it) => spanFits(span, it))),
  );
  for (const step of pattern.slice(1)) {
    if (reached.size === 0) return false;
    const before = reached;
    reached = new Set(
      spans.filter(
        (span) => step.conditions.every((it) => spanFits(span, it)) && hangsUnder(span, before, byId, step.under === 'direct'),
      ),
    );
  }
  return reached.size > 0;
}

/** The earliest span without a parent; when there is none, the earliest. */
function rootOf(spans: readonly PatternSpan[]): PatternSpan | undefined {
  const roots = spans.filter((span) => span.parentSpanId === null);
  const isBefore = (a: PatternSpan, b: PatternSpan) => a.start < b.start || (a.start === b.start && a.spanId < b.spanId);
  return (roots.length > 0 ? roots : [...spans]).sort((a, b) => (isBefore(a, b) ? -1 : 1))[0];
}

function hangsUnder(
  span: PatternSpan,
  wanted: ReadonlySet<PatternSpan>,
  byId: ReadonlyMap<SpanId, PatternSpan>,
  directly: boolean,
): boolean {
  let left = byId.size;
  for (let at = parentOf(span); at && left > 0; at = parentOf(at), left--) {
    if (wanted.has(at)) return true;
    if (directly) return false;
  }
  return false;

  function parentOf({ parentSpanId }: PatternSpan): PatternSpan | undefined {
    return parentSpanId === null ? undefined : byId.get(parentSpanId);
  }
}
