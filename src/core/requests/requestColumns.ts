import { ColumnWriter } from '../columns/columnWriter.ts';
import { codesOf, hexAt, listsOf, numbersOf, type Segment } from '../columns/segment.ts';
import type { FailureKind } from '../failures/group.ts';
import type { PathPart } from '../topology/origin/pathParts.ts';
import type { CallTarget, OperationKey, RequestFailure, RequestHead, RequestRow, RequestSpan } from './requestRow.ts';

/*
 * The schema of a segment of requests. Times are nanoseconds from the start of the segment's stretch. Operations, calls, parts of paths and
 * failures are texts of a dictionary that JSON can read.
 */

export const ID = 'id';
export const START = 'start';
/** From the start. */
export const ROOT_DELAY = 'root delay';
export const DURATION = 'duration';
/** Flags of a request. */
export const OUTCOME = 'outcome';
export const ROOT_FOUND = 1;
export const ROOT_FAILED = 2;
export const ANY_FAILED = 4;
/** Some attributes of the request have no column: the segment has too many keys. */
export const KEYS_LEFT_OUT = 8;
export const SPAN_COUNT = 'spans';
export const FAILED_SPAN_COUNT = 'failed spans';
export const ENTRY = 'entry';
export const OPERATIONS = 'operations';
export const USER = 'user';
export const SESSION = 'session';
/** Parts of the critical path, and the nanoseconds of each. */
export const PATH = 'path';
export const PATH_NS = 'path ns';
export const FAILURE = 'failure';
/** The failing spans: index of the span, when it began from the start of the request, `[type, shape of message, code]`. */
export const FAILED_SPAN = 'failed span';
export const FAILED_AT = 'failed at';
export const FAILED_KIND = 'failed kind';
/** What the services that took part run on: `[service, key of a resource attribute, value]`. */
export const RUNS_ON = 'runs on';
/** The spans: operation, index of the parent + 1 (0 for none), duration, flags, call. */
export const SPAN_OPERATION = 'span operation';
export const SPAN_PARENT = 'span parent';
export const SPAN_DURATION = 'span duration';
export const SPAN_FLAGS = 'span flags';
export const SPAN_FAILED = 1;
export const SPAN_CLIENT_ERROR = 2;
export const SPAN_HAS_PARENT_ID = 4;
export const SPAN_CALL = 'span call';
export const ROOT_SPAN = 'root span';

/** Time of the requests that each service handled, by what it went into: `[service, kind, party]`, and the nanoseconds of each. */
export const WITHIN = 'within';
export const WITHIN_NS = 'within ns';
/** The services that handled requests for this one, and how many each. */
export const HANDLED = 'handled';
export const HANDLED_COUNT = 'handled count';

/** Of a sample: how many requests the request stands for. */
export const WEIGHT = 'weight';

const ATTRIBUTE = 'a:';
const CUT = 'cut:';
/** Keys of attributes that have a column, at most: a sender that makes keys up cannot make a segment grow without end. */
const MOST_KEYS = 400;

/** The column of the values of an attribute. */
export function attributeColumn(key: string): string {
  return ATTRIBUTE + key;
}

/** The attribute that a column holds the values of; undefined when it holds something else. */
export function attributeKeyOf(column: string): string | undefined {
  return column.startsWith(ATTRIBUTE) ? column.slice(ATTRIBUTE.length) : undefined;
}

/** The column that is 1 for requests which have a value of an attribute that is too long to be in its column. */
export function cutColumn(key: string): string {
  return CUT + key;
}

/** The keys of all attributes that have a column. */
export function attributeKeys(segment: Segment): string[] {
  return segment.names.filter((name) => name.startsWith(ATTRIBUTE)).map((name) => name.slice(ATTRIBUTE.length));
}

/** Writes requests of one stretch of time as columns. */
export class RequestSegmentWriter {
  readonly #from: bigint;
  readonly #writer = new ColumnWriter();
  readonly #keys = new Set<string>();

  /** @param from the start of the stretch, epoch nanoseconds */
  constructor(from: bigint) {
    this.#from = from;
  }

  get rows(): number {
    return this.#writer.rows;
  }

  add({ head, spans, rootSpan, attributes, cut, path, failure, failedSpans, runsOn, within }: RequestRow): void {
    const to = this.#writer;
    to.bytes(ID, bytesOf(head.traceId));
    to.number(START, Number(head.startNs - this.#from));
    to.number(ROOT_DELAY, Number(head.rootStartNs - head.startNs));
    to.number(DURATION, head.durationNs);
    to.code(SPAN_COUNT, head.spanCount);
    to.code(FAILED_SPAN_COUNT, head.failedSpanCount);
    to.text(ENTRY, writeOperation(head.entry));
    if (head.user !== null) to.text(USER, head.user);
    if (head.session !== null) to.text(SESSION, head.session);
    for (const operation of new Set(spans.map((span) => writeOperation(span.operation)))) to.addText(OPERATIONS, operation);
    for (const [part, ns] of path) {
      to.addText(PATH, writePart(part));
      to.addNumber(PATH_NS, ns);
    }
    if (failure) to.text(FAILURE, JSON.stringify(failure));
    for (const { span, startNs, kind } of failedSpans) {
      to.addCode(FAILED_SPAN, span);
      to.addNumber(FAILED_AT, startNs);
      to.addText(FAILED_KIND, JSON.stringify([kind.type, kind.shape, kind.code]));
    }
    for (const text of runsOn) to.addText(RUNS_ON, text);
    for (const [service, { requests, lines }] of within) {
      to.addText(HANDLED, service);
      to.addCode(HANDLED_COUNT, requests);
      for (const { kind, party, ns } of lines.values()) {
        to.addText(WITHIN, JSON.stringify([service, kind, party]));
        to.addNumber(WITHIN_NS, ns);
      }
    }
    for (const span of spans) addSpan(to, span);
    to.code(ROOT_SPAN, rootSpan + 1);
    let leftOut = false;
    for (const [key, values] of attributes) {
      if (this.#hasRoomFor(key)) for (const value of values) to.addText(attributeColumn(key), value);
      else leftOut = true;
    }
    for (const key of cut) {
      if (this.#hasRoomFor(key)) to.code(cutColumn(key), 1);
      else leftOut = true;
    }
    to.code(
      OUTCOME,
      (head.rootFound ? ROOT_FOUND : 0) |
        (head.rootFailed ? ROOT_FAILED : 0) |
        (head.failedSpanCount > 0 ? ANY_FAILED : 0) |
        (leftOut ? KEYS_LEFT_OUT : 0),
    );
    to.endRow();
  }

  /** Adds a row of a segment of a part of the stretch, as one that stands for several. @param laterNs how much later that part begins */
  copySampled(segment: Segment, row: number, laterNs: number, weight: number): void {
    this.#writer.number(WEIGHT, weight);
    this.#copy(segment, row, laterNs);
  }

  /** Adds a row of another segment of the same stretch of time as it is. */
  copy(segment: Segment, row: number): void {
    this.#copy(segment, row, 0);
  }

  #copy(segment: Segment, row: number, laterNs: number): void {
    const to = this.#writer;
    const leftOut = this.#rowsLeftOut(segment, row);
    for (const name of segment.names) {
      const key = name.startsWith(ATTRIBUTE)
        ? name.slice(ATTRIBUTE.length)
        : name.startsWith(CUT)
          ? name.slice(CUT.length)
          : undefined;
      if (key !== undefined && !this.#keys.has(key)) continue;
      if (name === OUTCOME || name === START) continue;
      copyValue(to, segment, name, row);
    }
    to.number(START, numbersOf(segment, START)[row] + laterNs);
    to.code(OUTCOME, codesOf(segment, OUTCOME).values[row] | (leftOut ? KEYS_LEFT_OUT : 0));
    to.endRow();
  }

  /** Whether an attribute of a row finds no room; makes room for the others. */
  #rowsLeftOut(segment: Segment, row: number): boolean {
    let leftOut = false;
    for (const key of attributeKeys(segment)) {
      const { offsets } = listsOf(segment, attributeColumn(key));
      if (offsets[row + 1] > offsets[row] && !this.#hasRoomFor(key)) leftOut = true;
    }
    for (const name of segment.names)
      if (name.startsWith(CUT) && codesOf(segment, name).values[row] === 1 && !this.#hasRoomFor(name.slice(CUT.length)))
        leftOut = true;
    return leftOut;
  }

  #hasRoomFor(key: string): boolean {
    if (this.#keys.has(key)) return true;
    if (this.#keys.size >= MOST_KEYS) return false;
    this.#keys.add(key);
    return true;
  }

  finish(): Segment {
    return this.#writer.finish();
  }
}

function addSpan(to: ColumnWriter, { operation, parent, durationNs, failed, clientError, hasParentId, call }: RequestSpan): void {
  to.addText(SPAN_OPERATION, writeOperation(operation));
  to.addCode(SPAN_PARENT, parent + 1);
  to.addNumber(SPAN_DURATION, durationNs);
  to.addCode(
    SPAN_FLAGS,
    (failed ? SPAN_FAILED : 0) | (clientError ? SPAN_CLIENT_ERROR : 0) | (hasParentId ? SPAN_HAS_PARENT_ID : 0),
  );
  to.addText(SPAN_CALL, call ? writeCall(call) : '');
}

function copyValue(to: ColumnWriter, segment: Segment, name: string, row: number): void {
  const column = segment.column(name)!;
  switch (column.type) {
    case 'numbers':
      if (!Number.isNaN(column.values[row])) to.number(name, column.values[row]);
      return;
    case 'codes':
      if (column.texts.length === 0) to.code(name, column.values[row]);
      else if (column.values[row] > 0) to.text(name, column.texts[column.values[row] - 1]);
      return;
    case 'lists':
      for (let at = column.offsets[row]; at < column.offsets[row + 1]; at++)
        if (column.texts.length === 0) to.addCode(name, column.items[at]);
        else to.addText(name, column.texts[column.items[at]]);
      return;
    case 'numberLists':
      for (let at = column.offsets[row]; at < column.offsets[row + 1]; at++) to.addNumber(name, column.values[at]);
      return;
    case 'bytes':
      to.bytes(name, column.values.subarray(row * column.width, (row + 1) * column.width));
  }
}

function bytesOf(hex: string): Uint8Array {
  return Uint8Array.from({ length: hex.length / 2 }, (_, at) => Number.parseInt(hex.slice(2 * at, 2 * at + 2), 16));
}

/** What was written of keys before; the same objects come again by the thousand. */
const written = new WeakMap<OperationKey | CallTarget, string>();

export function writeOperation(it: OperationKey): string {
  return writtenOnce(it, () => JSON.stringify([it.service, it.name, it.kind]));
}

function writeCall(it: CallTarget): string {
  return writtenOnce(it, () =>
    JSON.stringify([it.peer, it.protocol, it.database, ...(it.found === undefined ? [] : [it.found])]),
  );
}

function writtenOnce(it: OperationKey | CallTarget, write: () => string): string {
  let text = written.get(it);
  if (text === undefined) {
    text = write();
    written.set(it, text);
  }
  return text;
}

export function readOperation(text: string): OperationKey {
  const [service, name, kind] = JSON.parse(text) as [string, string, OperationKey['kind']];
  return { service, name, kind };
}

export function readCall(text: string): CallTarget | null {
  if (text === '') return null;
  const [peer, protocol, database, found] = JSON.parse(text) as [string, string, boolean, boolean?];
  return { peer, protocol, database, ...(found !== undefined && { found }) };
}

function writePart({ node, party, kind, operation, resource, above, to, lookUp }: PathPart): string {
  const runsOn = resource && [resource.host, resource.instance, resource.version];
  const after = lookUp ? [lookUp.cache, lookUp.asker, lookUp.found] : null;
  const more = to || after ? [to ?? null, after] : [];
  return JSON.stringify([node, party, kind, operation, runsOn, above, ...more]);
}

export function readPart(text: string): PathPart {
  const [node, party, kind, operation, resource, above, to, lookUp] = JSON.parse(text) as [
    string,
    string,
    PathPart['kind'],
    string,
    [string, string, string] | null,
    string[],
    (string | null)?,
    ([cache: string, asker: string, found: boolean] | null)?,
  ];
  return {
    node,
    party,
    kind,
    operation,
    resource: resource && { host: resource[0], instance: resource[1], version: resource[2] },
    above,
    ...(to && { to }),
    ...(lookUp && { lookUp: { cache: lookUp[0], asker: lookUp[1], found: lookUp[2] } }),
  };
}

export function readFailure(text: string): RequestFailure {
  return JSON.parse(text) as RequestFailure;
}

export function readFailureKind(text: string): FailureKind {
  const [type, shape, code] = JSON.parse(text) as [string, string, string];
  return { type, shape, code };
}

/** What a row says of a request as a whole. @param from the start of the segment's stretch, epoch nanoseconds */
export function headAt(segment: Segment, row: number, from: bigint): RequestHead {
  const ids = segment.column(ID);
  const entry = codesOf(segment, ENTRY);
  const user = codesOf(segment, USER);
  const session = codesOf(segment, SESSION);
  const outcome = codesOf(segment, OUTCOME).values[row];
  const startNs = from + BigInt(numbersOf(segment, START)[row]);
  return {
    traceId: ids?.type === 'bytes' ? hexAt(ids, row) : '',
    startNs,
    rootStartNs: startNs + BigInt(numbersOf(segment, ROOT_DELAY)[row]),
    durationNs: numbersOf(segment, DURATION)[row],
    rootFound: (outcome & ROOT_FOUND) !== 0,
    rootFailed: (outcome & ROOT_FAILED) !== 0,
    failedSpanCount: codesOf(segment, FAILED_SPAN_COUNT).values[row],
    spanCount: codesOf(segment, SPAN_COUNT).values[row],
    entry: readOperation(entry.texts[entry.values[row] - 1]),
    user: user.values[row] === 0 ? null : user.texts[user.values[row] - 1],
    session: session.values[row] === 0 ? null : session.texts[session.values[row] - 1],
  };
}
