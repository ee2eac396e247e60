import { type Codes, codesOf, listsOf, type Numbers, numberListsOf, numbersOf, type Segment } from '../columns/segment.ts';
import { type Condition, fitsPositive, isBare, isComparison, isNegative } from '../scope/condition.ts';
import { parsePattern } from '../scope/conditionText.ts';
import { comparesAs, type SpanPattern, type SpanStep } from '../scope/spanPattern.ts';
import { parseDuration } from '../time/duration.ts';
import * as requests from './requestColumns.ts';
import { isRunsOnKey, type OperationKey, readRunsOn } from './requestRow.ts';

/** What a row is, as far as columns can tell. `UNSURE`: its spans have to be read. */
export const NO = 0;
export const YES = 1;
export const UNSURE = 2;

/** Which requests are wanted, beside their time. All must hold; an absent one does not narrow. */
export interface Narrowing {
  /** A service that takes part; with `operation`, the service of that operation. */
  readonly service?: string;
  /** The name of any span. */
  readonly operation?: string;
  /** The name of the root span. */
  readonly entry?: string;
  /** Of the root's duration, both inclusive. */
  readonly minDurationNs?: number;
  readonly maxDurationNs?: number;
  /** Whether any of its spans failed. */
  readonly failed?: boolean;
  /** Further conditions, all of which must hold. */
  readonly where?: readonly Condition[];
}

/**
 * Holds each row of a segment against a narrowing.
 *
 * @returns a mark a row: NO, YES or UNSURE. Cost: the rows, and for patterns their spans, per condition; each text of a dictionary is looked at once.
 */
export function matchRows(segment: Segment, narrowing: Narrowing): Uint8Array {
  const marks = new Uint8Array(segment.rows).fill(YES);
  const { service, operation, entry, minDurationNs, maxDurationNs, failed, where = [] } = narrowing;
  if (service !== undefined || operation !== undefined)
    both(
      marks,
      withOperation(
        segment,
        (it) => (service === undefined || it.service === service) && (operation === undefined || it.name === operation),
      ),
    );
  if (entry !== undefined)
    both(
      marks,
      withEntry(segment, (name) => name === entry),
    );
  if (minDurationNs !== undefined)
    both(
      marks,
      withDuration(segment, (ns) => ns >= minDurationNs),
    );
  if (maxDurationNs !== undefined)
    both(
      marks,
      withDuration(segment, (ns) => ns <= maxDurationNs),
    );
  if (failed !== undefined)
    both(
      marks,
      withFailure(segment, (anyFailed) => anyFailed === failed),
    );
  for (const it of where) {
    const positive = positiveMarks(segment, it, where);
    both(
      marks,
      isNegative(it.operator) ? positive.map((mark) => (mark === UNSURE ? UNSURE : mark === YES ? NO : YES)) : positive,
    );
  }
  return marks;
}

/** Brings the marks of another condition in: both must hold. */
function both(marks: Uint8Array, others: Uint8Array): void {
  for (let row = 0; row < marks.length; row++)
    marks[row] = marks[row] === NO || others[row] === NO ? NO : Math.max(marks[row], others[row]);
}

function positiveMarks(segment: Segment, it: Condition, all: readonly Condition[]): Uint8Array {
  const { field, values } = it;
  switch (field) {
    case 'duration': {
      const bound = parseDuration(values[0]) ?? 0;
      return withDuration(segment, (ns) => comparesAs(ns, it.operator, bound));
    }
    case 'failed':
      return withFailure(segment, (failed) => values.includes(failed ? 'yes' : 'no'));
    case 'user':
      return withText(segment, requests.USER, it);
    case 'session':
      return withText(segment, requests.SESSION, it);
    case 'entry':
      return withEntry(segment, (name) => !isComparison(it.operator) && fitsPositive(it, name));
    case 'service':
      return withOperation(segment, ({ service }) => !isComparison(it.operator) && fitsPositive(it, service));
    case 'operation': {
      // Together with a service, the operation is that service's.
      const services = all.find((other) => other.field === 'service' && other.operator === 'is')?.values;
      return withOperation(
        segment,
        ({ service, name }) =>
          !isComparison(it.operator) && fitsPositive(it, name) && (services === undefined || services.includes(service)),
      );
    }
    case 'span':
    case 'root':
      return withPattern(segment, it);
    default:
      return withAttribute(segment, it);
  }
}

function withDuration(segment: Segment, fits: (ns: number) => boolean): Uint8Array {
  return Uint8Array.from(numbersOf(segment, requests.DURATION), (ns) => (fits(ns) ? YES : NO));
}

function withFailure(segment: Segment, fits: (anyFailed: boolean) => boolean): Uint8Array {
  return Uint8Array.from(codesOf(segment, requests.OUTCOME).values, (flags) =>
    fits((flags & requests.ANY_FAILED) !== 0) ? YES : NO,
  );
}

function withEntry(segment: Segment, fits: (name: string) => boolean): Uint8Array {
  const { values, texts } = codesOf(segment, requests.ENTRY);
  const fit = texts.map((text) => fits(requests.readOperation(text).name));
  return Uint8Array.from(values, (code) => (code > 0 && fit[code - 1] ? YES : NO));
}

function withOperation(segment: Segment, fits: (operation: OperationKey) => boolean): Uint8Array {
  const operations = listsOf(segment, requests.OPERATIONS);
  return anyOf(
    operations,
    operations.texts.map((text) => fits(requests.readOperation(text))),
    segment.rows,
  );
}

function withText(segment: Segment, name: string, it: Condition): Uint8Array {
  const { values, texts } = codesOf(segment, name);
  const fit = texts.map((text) => fitsPositive(it, text));
  return Uint8Array.from(values, (code) => (code > 0 && fit[code - 1] ? YES : NO));
}

/** Rows one of whose list's items fits. */
function anyOf({ offsets, items }: { offsets: Codes; items: Codes }, fit: readonly boolean[], rows: number): Uint8Array {
  const marks = new Uint8Array(rows);
  for (let row = 0; row < rows; row++)
    for (let at = offsets[row]; at < offsets[row + 1]; at++)
      if (fit[items[at]]) {
        marks[row] = YES;
        break;
      }
  return marks;
}

function withAttribute(segment: Segment, it: Condition): Uint8Array {
  const values = listsOf(segment, requests.attributeColumn(it.field));
  const marks = anyOf(
    values,
    values.texts.map((text) => fitsPositive(it, text)),
    segment.rows,
  );
  const cut = codesOf(segment, requests.cutColumn(it.field)).values;
  const outcome = codesOf(segment, requests.OUTCOME).values;
  const missing = isBare(it.operator) ? YES : UNSURE;
  for (let row = 0; row < marks.length; row++) {
    if (marks[row] === YES) continue;
    if (cut[row] === 1) marks[row] = missing;
    else if ((outcome[row] & requests.KEYS_LEFT_OUT) !== 0) marks[row] = UNSURE;
  }
  return marks;
}

// --- patterns of spans

/** What is known of a step for a span: whether it fits for sure, and whether it may. */
interface StepMarks {
  readonly sure: Uint8Array;
  readonly possible: Uint8Array;
}

function withPattern(segment: Segment, it: Condition): Uint8Array {
  const pattern = parsePattern(it.values[0]);
  const marks = new Uint8Array(segment.rows);
  if (typeof pattern === 'string') return marks;
  const runsOn = withRunsOn(segment, pattern);
  if (it.field === 'span' && runsOn) return runsOn;
  const spans = spanColumns(segment);
  const steps = pattern.map((step) => stepMarks(segment, spans, step));
  const isRoot = it.field === 'root';
  for (let row = 0; row < segment.rows; row++) {
    if (!chainFits(spans, pattern, steps, 'possible', row, isRoot)) continue;
    marks[row] = chainFits(spans, pattern, steps, 'sure', row, isRoot) ? YES : UNSURE;
  }
  return marks;
}

/** Rows by a pattern of one span that asks for nothing but its service and what that runs on; undefined for another one. */
function withRunsOn(segment: Segment, pattern: SpanPattern): Uint8Array | undefined {
  const [first, ...others] = pattern;
  const [of, what, ...more] = [...first.conditions].sort((a, b) => Number(b.field === 'service') - Number(a.field === 'service'));
  if (others.length > 0 || more.length > 0 || !what || of.field !== 'service' || !isRunsOnKey(what.field)) return undefined;
  if (isNegative(of.operator) || isNegative(what.operator) || isBare(what.operator)) return undefined;
  const list = listsOf(segment, requests.RUNS_ON);
  const fit = list.texts.map(readRunsOn).map(({ service, key, value }) => {
    return key === what.field && fitsPositive(of, service) && fitsPositive(what, value);
  });
  const marks = anyOf(list, fit, segment.rows);
  const cut = codesOf(segment, requests.cutColumn(what.field)).values;
  for (let row = 0; row < marks.length; row++) if (marks[row] === NO && cut[row] === 1) marks[row] = UNSURE;
  return marks;
}

interface SpanColumns {
  /** Where the spans of each row begin. */
  readonly offsets: Codes;
  readonly parent: Codes;
  readonly root: Codes;
  readonly operation: Codes;
  readonly operations: readonly OperationKey[];
  readonly flags: Codes;
  readonly duration: Numbers;
}

function spanColumns(segment: Segment): SpanColumns {
  const operation = listsOf(segment, requests.SPAN_OPERATION);
  return {
    offsets: operation.offsets,
    parent: listsOf(segment, requests.SPAN_PARENT).items,
    root: codesOf(segment, requests.ROOT_SPAN).values,
    operation: operation.items,
    operations: operation.texts.map(requests.readOperation),
    flags: listsOf(segment, requests.SPAN_FLAGS).items,
    duration: numberListsOf(segment, requests.SPAN_DURATION).values,
  };
}

/** Marks every span of a segment by the conditions of a step. */
function stepMarks(segment: Segment, spans: SpanColumns, { conditions }: SpanStep): StepMarks {
  const sure = new Uint8Array(spans.operation.length).fill(YES);
  const possible = new Uint8Array(spans.operation.length).fill(YES);
  for (const it of conditions) {
    const holds = spanCondition(spans, it);
    if (holds) {
      for (let at = 0; at < sure.length; at++) if (!holds(at)) sure[at] = possible[at] = NO;
      continue;
    }
    // Which span has the value is not in the columns; whether one has is.
    sure.fill(NO);
    if (isNegative(it.operator)) continue;
    const ofRow = withAttribute(segment, it);
    for (let row = 0; row < segment.rows; row++)
      if (ofRow[row] === NO) possible.fill(NO, spans.offsets[row], spans.offsets[row + 1]);
  }
  return { sure, possible };
}

/** Whether a condition holds for a span, by its index; undefined when columns do not tell. */
function spanCondition(spans: SpanColumns, it: Condition): ((at: number) => boolean) | undefined {
  const textOf = { service: 'service', operation: 'name', kind: 'kind' } as const;
  const negative = isNegative(it.operator);
  if (it.field === 'duration') {
    const bound = parseDuration(it.values[0]) ?? 0;
    return (at) => comparesAs(spans.duration[at], it.operator, bound);
  }
  if (it.field === 'failed')
    return (at) => fitsPositive(it, (spans.flags[at] & requests.SPAN_FAILED) !== 0 ? 'yes' : 'no') !== negative;
  if (!Object.hasOwn(textOf, it.field)) return undefined;
  const part = textOf[it.field as keyof typeof textOf];
  const fit = spans.operations.map((operation) => fitsPositive(it, operation[part]) !== negative);
  return (at) => fit[spans.operation[at]];
}

/** Whether spans of a row stand to each other as a pattern says, going by one kind of marks. */
function chainFits(
  { offsets, parent, root }: SpanColumns,
  pattern: SpanPattern,
  steps: readonly StepMarks[],
  which: keyof StepMarks,
  row: number,
  isRoot: boolean,
): boolean {
  const from = offsets[row];
  const count = offsets[row + 1] - from;
  const rootSpan = root[row] - 1;
  let reached = new Uint8Array(count);
  let any = false;
  for (let span = 0; span < count; span++)
    if (steps[0][which][from + span] === YES && (!isRoot || span === rootSpan)) {
      reached[span] = YES;
      any = true;
    }
  for (let step = 1; any && step < steps.length; step++) {
    const next = new Uint8Array(count);
    const direct = pattern[step].under === 'direct';
    any = false;
    for (let span = 0; span < count; span++)
      if (steps[step][which][from + span] === YES && hangsUnder(span)) {
        next[span] = YES;
        any = true;
      }
    reached = next;

    function hangsUnder(span: number): boolean {
      let left = count;
      for (let at = parent[from + span] - 1; at >= 0 && left > 0; at = parent[from + at] - 1, left--) {
        if (reached[at] === YES) return true;
        if (direct) return false;
      }
      return false;
    }
  }
  return any;
}

const OWN: ReadonlySet<string> = new Set(['duration', 'failed', 'user', 'session', 'entry', 'service', 'operation']);

/** Whether a field is the key of an attribute. */
export function isAttribute(field: string): boolean {
  return !OWN.has(field) && field !== 'span' && field !== 'root';
}
