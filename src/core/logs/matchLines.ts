import { codesOf, numbersOf, type Segment } from '../columns/segment.ts';
import { attributeColumn } from '../requests/requestColumns.ts';
import { type Condition, fitsPositive, isBare, isNegative, isPattern } from '../scope/condition.ts';
import { INSTANCE, SERVICE, SEVERITY, SHAPE, TRACE } from './logColumns.ts';
import { matchText } from './matchText.ts';
import { type Severity, severityOf } from './severity.ts';
import type { Template } from './template.ts';
import type { TextQuery } from './textQuery.ts';

/** Which lines are wanted. All must hold. */
export interface LineQuery {
  readonly text: TextQuery;
  /** Ranges of severity; all when empty. */
  readonly severities: readonly Severity[];
  /** Ids of shapes as they are counted today: only these (all when empty), and none of those. */
  readonly shapes: readonly string[];
  readonly without: readonly string[];
  readonly where: readonly Condition[];
}

/** What a segment alone does not tell. */
export interface LineContext {
  readonly templateOf: (id: string) => Template | undefined;
  /** The id that a shape is counted under today. */
  readonly countedAs: (id: string) => string;
  /** Whether the request of a trace fits a condition; what is undefined here is asked of the line alone. */
  readonly requestFits: (condition: Condition) => ((trace: number) => boolean) | undefined;
}

/** Fields that only a request has. */
const OF_REQUESTS = ['entry', 'operation', 'duration', 'failed', 'user', 'session'];

/** Whether a condition can be asked of requests, for lines that say nothing about it. A service is that of the line, always. */
export function isOfRequests({ field }: Condition): boolean {
  return field !== 'service';
}

/**
 * Marks the rows of a segment that fit: 1, others 0. A condition holds for a line when the line, or its resource, has the attribute and it fits;
 * where the line says nothing of it, when its request fits.
 */
export function matchLines(segment: Segment, query: LineQuery, context: LineContext): Uint8Array {
  const marks = new Uint8Array(segment.rows).fill(1);
  if (query.severities.length > 0) {
    const wanted = new Set(query.severities);
    const { values } = codesOf(segment, SEVERITY);
    for (let row = 0; row < marks.length; row++) if (!wanted.has(severityOf(values[row]))) marks[row] = 0;
  }
  if (query.shapes.length > 0 || query.without.length > 0) {
    const { values, texts } = codesOf(segment, SHAPE);
    const isWanted = texts.map((id) => {
      const counted = context.countedAs(id);
      return (query.shapes.length === 0 || query.shapes.includes(counted)) && !query.without.includes(counted);
    });
    for (let row = 0; row < marks.length; row++) if (!isWanted[values[row] - 1]) marks[row] = 0;
  }
  for (const condition of query.where) matchCondition(marks, segment, condition, context);
  matchText(marks, segment, query.text, context.templateOf);
  return marks;
}

function matchCondition(marks: Uint8Array, segment: Segment, condition: Condition, { requestFits }: LineContext): void {
  const ofRequest = requestFits(condition);
  const traces = numbersOf(segment, TRACE);
  const isDelegated = isPattern(condition.operator) || OF_REQUESTS.includes(condition.field);
  const { values, texts } = isDelegated ? NOTHING : codesOf(segment, columnOf(condition.field));
  const negative = isNegative(condition.operator);
  const fits = texts.map((text) => (isBare(condition.operator) || fitsPositive(condition, text)) !== negative);
  for (let row = 0; row < marks.length; row++) {
    if (marks[row] === 0) continue;
    const code = values[row] ?? 0;
    // Without the attribute and without a request: only what is asked to be absent, or other, holds.
    const holds =
      code > 0 ? fits[code - 1] : ofRequest && !Number.isNaN(traces[row]) ? ofRequest(traces[row]) : negative && !isDelegated;
    if (!holds) marks[row] = 0;
  }
}

const NOTHING = { values: new Uint32Array(0), texts: [] as readonly string[] };

/** The column that holds a field of lines. */
export function columnOf(field: string): string {
  if (field === 'service' || field === 'service.name') return SERVICE;
  return field === 'service.instance.id' ? INSTANCE : attributeColumn(field);
}
