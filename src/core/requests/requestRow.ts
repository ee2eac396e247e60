import { isClientError } from '../failures/clientError.ts';
import { failureWords } from '../failures/failureWords.ts';
import { type FailureKind, kindOf, occurrenceOf } from '../failures/group.ts';
import { foundInCache } from '../topology/cacheAnswer.ts';
import { failureStart } from '../topology/origin/failureStart.ts';
import { type PathPart, pathParts } from '../topology/origin/pathParts.ts';
import { addTimeWithin, type PartyTime } from '../topology/origin/timeWithin.ts';
import { assemble, type Trace } from '../trace/assemble.ts';
import { attributeText } from '../trace/attributeText.ts';
import { eventFields } from '../trace/eventFields.ts';
import { databaseSystem, isTransport, peerName, protocolOf } from '../trace/peer.ts';
import type { AttributeValue, Span, SpanKind } from '../trace/span.ts';

/** Characters of an attribute's value, at most; who asks for longer ones reads the spans. */
export const LONGEST_VALUE = 1_000;

/** An operation: a service, the name and the kind of its spans. */
export interface OperationKey {
  readonly service: string;
  readonly name: string;
  readonly kind: SpanKind;
}

/** Whom a span calls, by what the caller says. */
export interface CallTarget {
  readonly peer: string;
  readonly protocol: string;
  readonly database: boolean;
  /** Of a look-up in a cache: whether it found something, where the span says so. */
  readonly found?: boolean;
}

/** What is stored of a request beside its spans: where it began, how long it took, by what it can be distinguished. */
export interface RequestHead {
  /** Hex. */
  readonly traceId: string;
  /** The first start of any of its spans, and that of its root, epoch nanoseconds. */
  readonly startNs: bigint;
  readonly rootStartNs: bigint;
  /** The root's. */
  readonly durationNs: number;
  readonly rootFound: boolean;
  readonly rootFailed: boolean;
  readonly failedSpanCount: number;
  readonly spanCount: number;
  /** The root's. */
  readonly entry: OperationKey;
  readonly user: string | null;
  readonly session: string | null;
}

/** One span, as far as patterns and calls ask for it. */
export interface RequestSpan {
  readonly operation: OperationKey;
  /** Index of the parent among the spans of the request; -1 when it has none or the parent is absent. */
  readonly parent: number;
  readonly hasParentId: boolean;
  readonly durationNs: number;
  readonly failed: boolean;
  readonly clientError: boolean;
  /** null unless it is a client, producer or consumer span. */
  readonly call: CallTarget | null;
}

/** Where a failed request began to fail, and what the span says there. */
export interface RequestFailure {
  readonly node: string;
  readonly party: string;
  readonly clientError: boolean;
  readonly through: readonly string[];
  readonly words: string;
}

/** A span that failed: which one, when it began, what it says. */
export interface FailedSpan {
  /** Index among the spans of the request. */
  readonly span: number;
  /** From the start of the request. */
  readonly startNs: number;
  readonly kind: FailureKind;
}

/** A request as a row of columns. */
export interface RequestRow {
  readonly head: RequestHead;
  readonly spans: readonly RequestSpan[];
  /** Index of the span that patterns on the root look at. */
  readonly rootSpan: number;
  /** By key the different values among its spans, their events and their resources, as text. */
  readonly attributes: ReadonlyMap<string, ReadonlySet<string>>;
  /** Keys of which a value is too long to be here. */
  readonly cut: ReadonlySet<string>;
  readonly path: readonly (readonly [PathPart, number])[];
  readonly failure: RequestFailure | null;
  readonly failedSpans: readonly FailedSpan[];
  /** What the services that took part run on, as `writeRunsOn` writes it. */
  readonly runsOn: ReadonlySet<string>;
  /** What the time of the requests went into that each service handled for this one. */
  readonly within: ReadonlyMap<string, PartyTime>;
}

/** Works out the row of a request from its spans, in any order; broken traces too. About 2 µs a span beyond reading it. */
export function requestRow(head: RequestHead, spans: readonly Span[]): RequestRow {
  const trace = assemble(spans);
  const attributes = new Map<string, Set<string>>();
  const cut = new Set<string>();
  const runsOn = new Set<string>();
  const seen = new Set<unknown>();
  for (const span of spans) {
    noteAttributes(attributes, cut, span.attributes);
    noteEvents(attributes, cut, span);
    noteRunsOn(runsOn, span);
    if (seen.has(span.resource)) continue;
    seen.add(span.resource);
    noteAttributes(attributes, cut, span.resource);
  }
  const indexOf = new Map(spans.map((span, index) => [span.spanId, index]));
  const within = new Map<string, PartyTime>();
  if (trace) addTimeWithin(within, trace);
  return {
    head,
    spans: spans.map((span) => spanOf(span, indexOf)),
    rootSpan: rootIndex(spans),
    attributes,
    cut,
    path: trace ? pathParts(trace) : [],
    failure: trace ? failureOf(trace) : null,
    failedSpans: spans.flatMap((span, index) =>
      span.status === 'error'
        ? [{ span: index, startNs: Number(span.start - head.startNs), kind: kindOf(occurrenceOf(span)) }]
        : [],
    ),
    runsOn,
    within,
  };
}

/** Resource attributes by which the instances of one service differ. */
export const RUNS_ON_KEYS = ['service.version', 'service.instance.id', 'host.name', 'cloud.region'] as const;
export type RunsOnKey = (typeof RUNS_ON_KEYS)[number];

export function isRunsOnKey(key: string): key is RunsOnKey {
  return (RUNS_ON_KEYS as readonly string[]).includes(key);
}

/** What a service runs on, as a text of the dictionary. */
export function writeRunsOn(service: string, key: RunsOnKey, value: string): string {
  return JSON.stringify([service, key, value]);
}

export function readRunsOn(text: string): { readonly service: string; readonly key: RunsOnKey; readonly value: string } {
  const [service, key, value] = JSON.parse(text) as [string, RunsOnKey, string];
  return { service, key, value };
}

function noteRunsOn(into: Set<string>, { service, attributes, resource }: Span): void {
  for (const key of RUNS_ON_KEYS) {
    const text = attributeText(attributes[key] ?? resource[key]);
    if (text !== undefined && text.length <= LONGEST_VALUE) into.add(writeRunsOn(service, key, text));
  }
}

function noteAttributes(into: Map<string, Set<string>>, cut: Set<string>, attributes: Span['attributes']): void {
  for (const key in attributes) noteValue(into, cut, key, attributes[key]);
}

function noteEvents(into: Map<string, Set<string>>, cut: Set<string>, span: Span): void {
  if (span.events.length === 0) return;
  for (const [field, values] of eventFields(span)) for (const value of values) noteValue(into, cut, field, value);
}

function noteValue(into: Map<string, Set<string>>, cut: Set<string>, key: string, value: AttributeValue): void {
  const text = attributeText(value);
  if (text === undefined) return;
  if (text.length > LONGEST_VALUE) {
    cut.add(key);
    return;
  }
  const values = into.get(key);
  if (values) values.add(text);
  else into.set(key, new Set([text]));
}

function spanOf(span: Span, indexOf: ReadonlyMap<string, number>): RequestSpan {
  const { service, name, kind, parentSpanId, status, start, end } = span;
  const failed = status === 'error';
  const isCall = (kind === 'client' || kind === 'producer' || kind === 'consumer') && !isTransport(span);
  return {
    operation: operationKey(service, name, kind),
    parent: parentSpanId === null ? -1 : (indexOf.get(parentSpanId) ?? -1),
    hasParentId: parentSpanId !== null,
    durationNs: Number(end - start),
    failed,
    clientError: failed && isClientError(span),
    call: isCall ? callKey(span) : null,
  };
}

/** Keys that are remembered: the same object for the same operation, so that what is made of it is made once. */
const MOST_KEYS = 20_000;
const operations = new Map<string, OperationKey>();
const calls = new Map<string, CallTarget>();

function operationKey(service: string, name: string, kind: SpanKind): OperationKey {
  return remembered(operations, `${kind}\0${service}\0${name}`, () => ({ service, name, kind }));
}

function callKey(span: Span): CallTarget {
  const { attributes } = span;
  const [peer, protocol, database] = [peerName(attributes), protocolOf(attributes), databaseSystem(attributes) !== undefined];
  const found = foundInCache(span);
  return remembered(calls, `${found}\0${database}\0${protocol}\0${peer}`, () => ({
    peer,
    protocol,
    database,
    ...(found !== undefined && { found }),
  }));
}

function remembered<T>(known: Map<string, T>, key: string, make: () => T): T {
  let it = known.get(key);
  if (it === undefined) {
    if (known.size >= MOST_KEYS) known.clear();
    it = make();
    known.set(key, it);
  }
  return it;
}

/** The earliest span without a parent; when there is none, the earliest. */
function rootIndex(spans: readonly Span[]): number {
  let best = -1;
  for (const [index, span] of spans.entries()) {
    const known = spans[best];
    if (!known) best = index;
    else if ((span.parentSpanId === null) !== (known.parentSpanId === null)) {
      if (span.parentSpanId === null) best = index;
    } else if (span.start < known.start || (span.start === known.start && span.spanId < known.spanId)) best = index;
  }
  return best;
}

function failureOf(trace: Trace): RequestFailure | null {
  const start = failureStart(trace);
  if (!start) return null;
  const { node, party, clientError, through } = start;
  return { node, party, clientError, through, words: failureWords(trace.nodes[start.span].span) };
}
