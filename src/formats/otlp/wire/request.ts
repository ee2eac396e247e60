import { MalformedRequest } from './refusal.ts';
import { BYTES, type Reader, readerOf, tag, wholeMessage } from './wire.ts';

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

/** Records, and what is around them, of one request: each takes many times its bytes once it is read. */
const MOST_PIECES = 250_000;

const FIRST = tag(1, BYTES);
const SECOND = tag(2, BYTES);

/** Takes an export request in protobuf apart, without reading its records. @throws MalformedRequest when the bytes are none */
export function readRequest(body: Uint8Array): TelemetryRequest {
  try {
    const groups: RecordGroup[] = [];
    const room = { pieces: MOST_PIECES };
    const request = parts(body, false, room);
    for (const resourceGroup of request.first) {
      const outer = parts(resourceGroup, true, room);
      const resource = merged(outer.first);
      const besideResource = merged(outer.beside);
      for (const scopeGroup of outer.second) {
        const inner = parts(scopeGroup, true, room);
        const scope = merged(inner.first);
        groups.push({ resource, besideResource, scope, besideScope: merged(inner.beside), records: inner.second });
      }
    }
    return { groups, beside: merged(request.beside) };
  } catch (error) {
    if (error instanceof MalformedRequest) throw error;
    throw new MalformedRequest(`the body is not an OTLP export request in protobuf: ${(error as Error).message}`);
  }
}

/** The contents of a message's fields 1 and 2, and the rest of its fields with their tags. */
function parts(bytes: Uint8Array, hasSecond: boolean, room: { pieces: number }) {
  const first: Uint8Array[] = [];
  const second: Uint8Array[] = [];
  const beside: Uint8Array[] = [];
  const reader = readerOf(bytes);
  // Every record that comes in is met here: a loop of its own spares a function for each message.
  while (reader.pos < bytes.length) {
    const began = reader.pos;
    const at = reader.uint32();
    if (at >>> 3 === 0) throw new RangeError(`field number 0 at byte ${began}`);
    if (--room.pieces < 0) throw new MalformedRequest(`the body holds over ${MOST_PIECES} records; send smaller batches`);
    if (at === FIRST) first.push(contents(reader, bytes));
    else if (hasSecond && at === SECOND) second.push(contents(reader, bytes));
    else {
      reader.skipType(at & 7);
      beside.push(bytes.subarray(began, reader.pos));
    }
  }
  if (reader.pos !== bytes.length) throw new RangeError(`a field runs past the end of its message at byte ${bytes.length}`);
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

/**
 * Puts an export request together again. Groups next to each other that share a resource object stand under one resource.
 *
 * @param memory to be written into when it is large enough; what is given back is a part of it then
 */
export function writeRequest({ groups, beside }: TelemetryRequest, memory?: Buffer): Buffer {
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
  const bytes = new FieldWriter(memory && memory.length >= total ? memory.subarray(0, total) : Buffer.allocUnsafe(total));
  for (const { group: first, inner, length: outerLength } of outers) {
    bytes.head(1, outerLength);
    if (first.resource.length > 0) bytes.field(1, first.resource);
    for (const { group, length } of inner) {
      bytes.head(2, length);
      if (group.scope.length > 0) bytes.field(1, group.scope);
      for (const record of group.records) bytes.field(2, record);
      bytes.put(group.besideScope);
    }
    bytes.put(first.besideResource);
  }
  bytes.put(beside);
  return bytes.whole;
}

/** Fields one after the other in one piece of memory. */
class FieldWriter {
  readonly whole: Buffer;
  #at = 0;

  constructor(whole: Buffer) {
    this.whole = whole;
  }

  head(number: number, length: number): void {
    const bytes = this.whole;
    bytes[this.#at++] = tag(number, BYTES);
    let rest = length;
    for (; rest > 127; rest = Math.floor(rest / 128)) bytes[this.#at++] = (rest & 127) | 128;
    bytes[this.#at++] = rest;
  }

  put(content: Uint8Array): void {
    this.whole.set(content, this.#at);
    this.#at += content.length;
  }

  field(number: number, content: Uint8Array): void {
    this.head(number, content.length);
    this.put(content);
  }
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
