import { ANSWER_KEYS, isClientError } from '../../core/failures/clientError.ts';
import { IndexTable } from '../../core/maps/indexTable.ts';
import { innerMap } from '../../core/maps/innerMap.ts';
import { minuteOfHalves, nsInMinute } from '../../core/time/minuteTime.ts';
import { databaseSystem, isTransport, PEER_KEYS, peerName, protocolOf } from '../../core/trace/peer.ts';
import { type Attributes, CLIENT, CONSUMER, PRODUCER, SPAN_KINDS, type SpanKind } from '../../core/trace/span.ts';
import { AttributeList } from '../../formats/otlp/attributes/attributeList.ts';
import type { SeenAttribute } from '../../formats/otlp/attributes/seenAttributes.ts';
import type { RecordMasking } from '../../formats/otlp/masking/maskRequest.ts';
import type { Origin } from '../../formats/otlp/span/decodeTraces.ts';
import { HeadScan, NO_PARENT, scanHead, WantedKeys } from '../../formats/otlp/span/spanHead.ts';
import { serviceOf } from '../../formats/otlp/span/spanRecord.ts';
import type { RecordGroup } from '../../formats/otlp/wire/request.ts';
import { type OpenSpan, openSpan } from './openSpans.ts';

/** From where some spans of a request come. */
export interface SpanOrigin {
  readonly group: RecordGroup;
  /** One object for all groups of a resource. */
  readonly resource: Attributes;
  readonly service: string;
}

export interface OperationKey {
  readonly service: string;
  readonly name: string;
  readonly kind: SpanKind;
}

export interface CallKey {
  readonly service: string;
  readonly peer: string;
  readonly protocol: string;
  readonly kind: SpanKind;
  readonly database: boolean;
}

/** Flags of a span. */
export const FAILED = 1;
/** Its failure blames the caller. */
export const CLIENT_ERROR = 2;
export const HAS_PARENT = 4;

/** Columns of whole numbers of four bytes. */
const WHOLE = 10;
/** Two numbers of eight bytes, those of four, and two of one. */
const BYTES_A_SPAN = 2 * 8 + WHOLE * 4 + 2;

/** Of a span that calls nobody. */
export const NO_CALL = -1;

const HEAD = new HeadScan(new WantedKeys([...PEER_KEYS, ...ANSWER_KEYS, 'user.id', 'enduser.id', 'session.id']));

/**
 * The spans of a request in columns, one entry each, without those that came twice in it. A request has thousands of spans, and what is
 * made for each of them costs more than what is to be done with it. Numbers of origins, traces, operations and calls are places in the
 * lists here.
 */
export class SpanColumns {
  count = 0;
  readonly origins: SpanOrigin[] = [];
  /** Hex. */
  readonly traceIds: string[] = [];
  /** The first user and session that a span of a trace names. */
  readonly users: (string | null)[] = [];
  readonly sessions: (string | null)[] = [];
  readonly operations: OperationKey[] = [];
  readonly calls: CallKey[] = [];

  /** The bytes of the Span message. */
  readonly records: Uint8Array[] = [];
  readonly origin: Uint32Array;
  readonly trace: Uint32Array;
  /** Upper and lower half of the id. */
  readonly idHigh: Uint32Array;
  readonly idLow: Uint32Array;
  readonly parentHigh: Uint32Array;
  readonly parentLow: Uint32Array;
  /** When it began: minutes since 1970-01-01, and nanoseconds since that minute. */
  readonly minute: Int32Array;
  readonly ns: Float64Array;
  readonly durationNs: Float64Array;
  /** OpenTelemetry's number. */
  readonly kind: Uint8Array;
  readonly flags: Uint8Array;
  readonly operation: Uint32Array;
  readonly call: Int32Array;
  /** Where its attributes end in `attributes`; they begin where those of the span before it end. */
  readonly attributesEnd: Uint32Array;

  /** Spans that were sent before they ended; they are none of the `count`. */
  readonly open: OpenSpan[] = [];

  readonly #list = new AttributeList();
  readonly #masking: RecordMasking | undefined;
  readonly #traces: IndexTable;
  readonly #spans: IndexTable;
  /** By origin and kind, and name. */
  readonly #operations: Map<string, number>[] = [];
  /** By origin, kind and whether it is a database, by peer, by protocol. */
  readonly #calls: Map<string, Map<string, number>>[] = [];
  #origin: Origin | undefined;

  /** @param most spans that may come @param masking takes out of each what is to be masked */
  constructor(most: number, masking?: RecordMasking) {
    this.#masking = masking;
    this.#traces = new IndexTable(most);
    this.#spans = new IndexTable(most);
    // In one piece of memory, the wide ones first, so that each begins where its numbers may.
    const memory = new ArrayBuffer(most * BYTES_A_SPAN);
    const wide = (at: number) => new Float64Array(memory, at * 8 * most, most);
    const after = 2 * 8 * most;
    const whole = (at: number) => new Uint32Array(memory, after + at * 4 * most, most);
    const last = after + WHOLE * 4 * most;
    this.ns = wide(0);
    this.durationNs = wide(1);
    this.origin = whole(0);
    this.trace = whole(1);
    this.idHigh = whole(2);
    this.idLow = whole(3);
    this.parentHigh = whole(4);
    this.parentLow = whole(5);
    this.operation = whole(6);
    this.attributesEnd = whole(7);
    this.minute = new Int32Array(memory, after + 8 * 4 * most, most);
    this.call = new Int32Array(memory, after + 9 * 4 * most, most);
    this.kind = new Uint8Array(memory, last, most);
    this.flags = new Uint8Array(memory, last + most, most);
  }

  /** Of the spans, those of one behind those of the other; very long ones are left out. */
  get attributes(): readonly SeenAttribute[] {
    return this.#list.attributes;
  }

  /** Adds a span; changes nothing when the same trace and span id came before. @throws as `scanHead` */
  add(sent: Uint8Array, from: Origin): void {
    const record = this.#scan(sent);
    if (HEAD.isOpen) {
      this.open.push(openSpan(HEAD, from));
      return;
    }
    const { bytes, traceAt, spanAt, parentAt, kind } = HEAD;
    const trace = this.#traceAt(bytes, traceAt);
    const idHigh = bytes.readUInt32BE(spanAt);
    const idLow = bytes.readUInt32BE(spanAt + 4);
    const at = this.count;
    if (this.#spans.index(trace, idHigh, idLow, 0) !== at) return;
    this.count++;
    if (from !== this.#origin) {
      this.#origin = from;
      this.origins.push({ group: from.group, resource: from.resource, service: serviceOf(from.resource) });
    }
    const origin = this.origins.length - 1;
    const { told } = HEAD;
    this.records.push(record);
    this.attributesEnd[at] = this.attributes.length;
    this.origin[at] = origin;
    this.trace[at] = trace;
    this.idHigh[at] = idHigh;
    this.idLow[at] = idLow;
    if (parentAt !== NO_PARENT) {
      this.parentHigh[at] = bytes.readUInt32BE(parentAt);
      this.parentLow[at] = bytes.readUInt32BE(parentAt + 4);
    }
    const minute = minuteOfHalves(HEAD.startHigh, HEAD.startLow);
    this.minute[at] = minute;
    this.ns[at] = nsInMinute(HEAD.startHigh, HEAD.startLow, minute);
    this.durationNs[at] = HEAD.durationNs;
    this.kind[at] = kind;
    const blamesCaller = HEAD.failed && isClientError({ kind: SPAN_KINDS[kind], attributes: told });
    this.flags[at] = (HEAD.failed ? FAILED : 0) | (blamesCaller ? CLIENT_ERROR : 0) | (parentAt === NO_PARENT ? 0 : HAS_PARENT);
    this.operation[at] = this.#operationIndex(origin, kind, HEAD.name);
    const isCall = (kind === CLIENT || kind === PRODUCER || kind === CONSUMER) && !isTransport(HEAD);
    this.call[at] = isCall ? this.#callIndex(origin, kind, told) : NO_CALL;
    const { 'user.id': user, 'enduser.id': endUser = user, 'session.id': session } = told;
    if (endUser !== undefined) this.users[trace] ??= String(endUser);
    if (session !== undefined) this.sessions[trace] ??= String(session);
  }

  /** Reads the head of a span. @returns its record, masked */
  #scan(record: Uint8Array): Uint8Array {
    this.#begin();
    scanHead(record, HEAD);
    if (!HEAD.isSuspicious || !this.#masking) return record;
    const masked = this.#masking.mask(record);
    if (masked === record) return record;
    this.#begin();
    scanHead(masked, HEAD);
    return masked;
  }

  #begin(): void {
    // What a span left behind that was not added goes.
    this.#list.attributes.length = this.count === 0 ? 0 : this.attributesEnd[this.count - 1];
    HEAD.taker = this.#list;
    HEAD.look = this.#masking?.look;
  }

  /** The place of a span of a trace; -1 when it is not here. */
  find(trace: number, idHigh: number, idLow: number): number {
    return this.#spans.find(trace, idHigh, idLow, 0);
  }

  isEarlier(at: number, than: number): boolean {
    return this.minute[at] === this.minute[than] ? this.ns[at] < this.ns[than] : this.minute[at] < this.minute[than];
  }

  #traceAt(bytes: Buffer, at: number): number {
    const index = this.#traces.index(
      bytes.readUInt32BE(at),
      bytes.readUInt32BE(at + 4),
      bytes.readUInt32BE(at + 8),
      bytes.readUInt32BE(at + 12),
    );
    if (index === this.traceIds.length) {
      this.traceIds.push(bytes.toString('hex', at, at + 16));
      this.users.push(null);
      this.sessions.push(null);
    }
    return index;
  }

  #operationIndex(origin: number, kind: number, name: string): number {
    const group = origin * SPAN_KINDS.length + kind;
    this.#operations[group] ??= new Map();
    const indices = this.#operations[group];
    let index = indices.get(name);
    if (index === undefined) {
      index = this.operations.push({ service: this.origins[origin].service, name, kind: SPAN_KINDS[kind] }) - 1;
      indices.set(name, index);
    }
    return index;
  }

  #callIndex(origin: number, kind: number, told: Attributes): number {
    const peer = peerName(told);
    const protocol = protocolOf(told);
    const isDatabase = databaseSystem(told) !== undefined;
    const group = (origin * SPAN_KINDS.length + kind) * 2 + Number(isDatabase);
    this.#calls[group] ??= new Map();
    const indices = innerMap(this.#calls[group], peer);
    let index = indices.get(protocol);
    if (index === undefined) {
      const { service } = this.origins[origin];
      index = this.calls.push({ service, peer, protocol, kind: SPAN_KINDS[kind], database: isDatabase }) - 1;
      indices.set(protocol, index);
    }
    return index;
  }
}
