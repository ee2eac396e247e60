import { type Condition, fitsPositive, isNegative, isPattern } from '../scope/condition.ts';
import { parsePattern } from '../scope/conditionText.ts';
import { type PatternSpan, patternFits } from '../scope/spanPattern.ts';
import { attributeText } from '../trace/attributeText.ts';
import { eventFields, isEventField } from '../trace/eventFields.ts';
import type { Attributes, Span } from '../trace/span.ts';
import { isAttribute, type Narrowing } from './matchRows.ts';

/** Whether the spans of a request fit those conditions of a narrowing that are about attributes or patterns of spans. */
export function requestFits(spans: readonly Span[], { where = [] }: Narrowing): boolean {
  return where.every((it) => {
    if (!isPattern(it.operator) && !isAttribute(it.field)) return true;
    return holds(spans, it) !== isNegative(it.operator);
  });
}

/** Whether the positive form of a condition holds. */
function holds(spans: readonly Span[], it: Condition): boolean {
  if (!isPattern(it.operator)) {
    const fits = (attributes: Attributes) => {
      const text = attributeText(attributes[it.field]);
      return text !== undefined && fitsPositive(it, text);
    };
    if (isEventField(it.field)) return spans.some((span) => eventFits(span, it));
    return spans.some(({ attributes, resource }) => fits(attributes) || fits(resource));
  }
  const pattern = parsePattern(it.values[0]);
  if (typeof pattern === 'string') return false;
  const seen = spans.map((span) => new SeenSpan(span));
  return patternFits(pattern, seen, it.field === 'root');
}

function eventFits(span: Span, it: Condition): boolean {
  return (eventFields(span).get(it.field) ?? []).some((value) => {
    const text = attributeText(value);
    return text !== undefined && fitsPositive(it, text);
  });
}

/** A span as patterns look at it; its attributes are read when they are asked for first. */
class SeenSpan implements PatternSpan {
  readonly #span: Span;
  readonly durationNs: number;
  readonly failed: boolean;

  constructor(span: Span) {
    this.#span = span;
    this.durationNs = Number(span.end - span.start);
    this.failed = span.status === 'error';
  }

  get spanId() {
    return this.#span.spanId;
  }
  get parentSpanId() {
    return this.#span.parentSpanId;
  }
  get service() {
    return this.#span.service;
  }
  get name() {
    return this.#span.name;
  }
  get start() {
    return this.#span.start;
  }
  get kind() {
    return this.#span.kind;
  }
  get attributes() {
    return this.#span.attributes;
  }
  get resource() {
    return this.#span.resource;
  }
}
