import { MalformedRequest } from './refusal.ts';
import { BYTES, message, type Reader, readerOf, tag, wholeMessage } from './wire.ts';

/**
 * The records of one scope of one resource, each as the bytes of its message. Nothing is lost of what the sender wrote: fields that
 * are not known here stay in their bytes.
 */
export interface RecordGroup {
  /** Bytes of the Resource message. */
  readonly resource: Uint8Array;
  /** The other fields beside it (schema URL, and what is not known here), as they stand on the wire. */
  readonly besideResource: Uint8Array;
  readonly scope: Uint8Array;
  readonly besideScope: Uint8Array;
  readonly records: readonly Uint8Array[];
}

/** An export request of any signal. */
export interface TelemetryRequest {
  readonly groups: readonly RecordGroup[];
  /** What stands beside the resources: the dictionary of a profiles request. */
  readonly beside: Uint8Array;
}

const FIRST = tag(1, BYTES);
const SECOND = tag(2, BYTES);

/** Takes an export request in protobuf apart, without reading its records. @throws MalformedRequest when the bytes are none */
export function readRequest(body: Uint8Array): TelemetryRequest {
  try {
    const groups: RecordGroup[] = [];
    const request = parts(body, false);
    for (const resourceGroup of request.first) {
      const outer = parts(resourceGroup, true);
      const resource = merged(outer.first);
      const besideResource = merged(outer.beside);
      for (const scopeGroup of outer.second) {
        const inner = parts(scopeGroup, true);
        const scope = merged(inner.first);
        groups.push({ resource, besideResource, scope, besideScope: merged(inner.beside), records: inner.second });
      }
    }
    return { groups, beside: merged(request.beside) };
  } catch (error) {
    throw new MalformedRequest(`the body is not an OTLP export request in protobuf: ${(error as Error).message}`);
  }
}

/** The contents of a message's fields 1 and 2, and the rest of its fields with their tags. */
function parts(bytes: Uint8Array, hasSecond: boolean) {
  const first: Uint8Array[] = [];
  const second: Uint8Array[] = [];
  const beside: Uint8Array[] = [];
  const reader = readerOf(bytes);
  let began = 0;
  message(reader, bytes.length, (at) => {
    if (at === FIRST || (hasSecond && at === SECOND)) {
      (at === FIRST ? first : second).push(contents(reader, bytes));
    } else {
      reader.skipType(at & 7);
      beside.push(bytes.subarray(began, reader.pos));
    }
    began = reader.pos;
    return true;
  });
  return { first, second, beside };
}

function contents(reader: Reader, bytes: Uint8Array): Uint8Array {
  const length = reader.uint32();
  const start = reader.pos;
  reader.skip(length);
  return bytes.subarray(start, start + length);
}

const NOTHING = new Uint8Array(0);

/** A message that came in pieces is the pieces one after the other: so protobuf merges. */
function merged(pieces: readonly Uint8Array[]): Uint8Array {
  if (pieces.length === 0) return NOTHING;
  return pieces.length === 1 ? pieces[0] : Buffer.concat(pieces);
}

/** Puts an export request together again. Groups next to each other that share a resource object stand under one resource. */
export function writeRequest({ groups, beside }: TelemetryRequest): Buffer {
  // Lengths stand before contents: they are summed up first, then all is written into one piece of memory.
  const outers: { group: RecordGroup; inner: { group: RecordGroup; length: number }[]; length: number }[] = [];
  let total = beside.length;
  for (const group of groups) {
    let length = group.besideScope.length + (group.scope.length > 0 ? sizeOf(group.scope.length) : 0);
    for (const record of group.records) length += sizeOf(record.length);
    let outer = outers.at(-1);
    if (outer?.group.resource !== group.resource || outer.group.besideResource !== group.besideResource) {
      outer = {
        group,
        inner: [],
        length: group.besideResource.length + (group.resource.length > 0 ? sizeOf(group.resource.length) : 0),
      };
      outers.push(outer);
    }
    outer.inner.push({ group, length });
    outer.length += sizeOf(length);
  }
  for (const { length } of outers) total += sizeOf(length);
  const bytes = Buffer.allocUnsafe(total);
  let at = 0;
  const head = (number: number, length: number) => {
    bytes[at++] = tag(number, BYTES);
    let rest = length;
    for (; rest > 127; rest = Math.floor(rest / 128)) bytes[at++] = (rest & 127) | 128;
    bytes[at++] = rest;
  };
  const put = (content: Uint8Array) => {
    bytes.set(content, at);
    at += content.length;
  };
  const field = (number: number, content: Uint8Array) => {
    head(number, content.length);
    put(content);
  };
  for (const { group: first, inner, length: outerLength } of outers) {
    head(1, outerLength);
    if (first.resource.length > 0) field(1, first.resource);
    for (const { group, length } of inner) {
      head(2, length);
      if (group.scope.length > 0) field(1, group.scope);
      for (const record of group.records) field(2, record);
      put(group.besideScope);
    }
    put(first.besideResource);
  }
  put(beside);
  return bytes;
}

/** Bytes of a field that holds so many: its tag, their number, and themselves. */
function sizeOf(length: number): number {
  let size = 2 + length;
  for (let rest = length; rest > 127; rest = Math.floor(rest / 128)) size++;
  return size;
}

/** A field that holds a message, as pieces: its tag and length, then its contents. */
export function field(number: number, pieces: readonly Uint8Array[]): Uint8Array[] {
  const length = pieces.reduce((sum, piece) => sum + piece.length, 0);
  return [Uint8Array.from([...varint(tag(number, BYTES)), ...varint(length)]), ...pieces];
}

function varint(value: number): number[] {
  const bytes: number[] = [];
  let rest = value;
  for (; rest > 127; rest = Math.floor(rest / 128)) bytes.push((rest & 127) | 128);
  return [...bytes, rest];
}

/** The dictionary that a profiles request carries beside its resources; empty when it has none. */
export function dictionaryOf({ beside }: TelemetryRequest): Uint8Array {
  const pieces: Uint8Array[] = [];
  wholeMessage(beside, (reader, at) => {
    if (at !== SECOND) return false;
    pieces.push(contents(reader, beside));
    return true;
  });
  return merged(pieces);
}
