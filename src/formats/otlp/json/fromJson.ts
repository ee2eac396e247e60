import protobuf from 'protobufjs/minimal.js';
import {
  ANY_VALUE,
  type Field,
  isPackable,
  type MessageType,
  PROFILES_DICTIONARY,
  REQUESTS,
  RESOURCE,
  SCOPE,
  type Signal,
  wireOf,
} from '../wire/messages.ts';
import { aroundRecords, DEEPEST_VALUE, MalformedRequest, type Refusals, RefusedRecord, tooDeep } from '../wire/refusal.ts';
import type { RecordGroup, TelemetryRequest } from '../wire/request.ts';
import { BYTES, fromHex, tag } from '../wire/wire.ts';
import { refuseCrowded } from './crowded.ts';

type Json = unknown;
type JsonObject = Record<string, unknown>;
type Writer = protobuf.Writer;

/**
 * Reads the body of an OTLP/JSON export request into protobuf: ids in hex, enumerations as integers, 64-bit integers as text or
 * number, unknown fields passed over. A record that cannot be read is refused singly.
 *
 * @throws MalformedRequest when the body is no such request
 */
export function readJsonRequest(text: string, signal: Signal, refusals: Refusals): TelemetryRequest {
  const shape = REQUESTS[signal];
  refuseCrowded(text);
  const body = objectOr(parse(text), () => new MalformedRequest('the body is not a JSON object'));
  const groups: RecordGroup[] = [];
  for (const ofResource of outerList(body, shape.resources)) {
    const resource = aroundRecords(() => encoded(object(ofResource, 'resource'), RESOURCE));
    const besideResource = aroundRecords(() => schemaUrl(ofResource));
    for (const ofScope of outerList(ofResource, shape.scopes)) {
      const scope = aroundRecords(() => encoded(object(ofScope, 'scope'), SCOPE));
      const besideScope = aroundRecords(() => schemaUrl(ofScope));
      const list = ofScope[shape.records] ?? [];
      if (!Array.isArray(list)) throw new MalformedRequest(`${shape.records} is not a list`);
      const records: Uint8Array[] = [];
      for (const json of list) {
        const record = refusals.attempt(() =>
          encoded(
            objectOr(json, () => new RefusedRecord(`${shape.recordName} is not an object`)),
            shape.record,
          ),
        );
        if (record) records.push(record);
      }
      groups.push({ resource, besideResource, scope, besideScope, records });
    }
  }
  const beside = signal === 'profiles' ? aroundRecords(() => dictionary(body)) : new Uint8Array(0);
  return { groups, beside };
}

/** The signal of an OTLP/JSON export request, by the name of its list of resources. */
export function signalOfJson(text: string): Signal | undefined {
  const found = Object.entries(REQUESTS).find(([, { resources }]) => new RegExp(`^\\s*\\{[^[{]*"${resources}"`).test(text));
  return found?.[0] as Signal | undefined;
}

function dictionary(body: JsonObject): Uint8Array {
  const writer = protobuf.Writer.create();
  writer.uint32(tag(2, BYTES)).bytes(encoded(object(body, 'dictionary'), PROFILES_DICTIONARY));
  return writer.finish();
}

/** Resource and scope both carry their schema URL beside them, as field 3. */
function schemaUrl(from: JsonObject): Uint8Array {
  const url = text(from.schemaUrl, 'schemaUrl');
  return url === '' ? new Uint8Array(0) : protobuf.Writer.create().uint32(tag(3, BYTES)).string(url).finish();
}

/** 64-bit integers written without quotes would lose their last digits in JSON.parse: they get their quotes first. */
const BARE_LONG =
  /("(?:\w*UnixNano|intValue|asInt|count|zeroCount|period|durationNano|memoryStart|memoryLimit|fileOffset|address)"\s*:\s*)(-?\d{16,})(?=\s*[,}\]])/g;

function parse(body: string): Json {
  try {
    return JSON.parse(body.replace(BARE_LONG, '$1"$2"'));
  } catch (error) {
    throw new MalformedRequest(`the body is not JSON: ${(error as Error).message}`);
  }
}

function encoded(json: JsonObject, type: MessageType): Uint8Array {
  const writer = protobuf.Writer.create();
  writeMessage(writer, json, type, 0);
  return writer.finish();
}

function writeMessage(writer: Writer, json: JsonObject, type: MessageType, depth: number): void {
  // Values nest values: each level of an attribute is three messages deep.
  if (depth > 3 * DEEPEST_VALUE + 12) throw tooDeep();
  for (const field of type.fields) {
    const value = json[field.name];
    if (value == null) continue;
    if (!field.repeated) writeField(writer, field, value, depth);
    else if (!Array.isArray(value)) throw new RefusedRecord(`${field.name} is not a list`);
    else if (isPackable(field)) writePacked(writer, field, value);
    else for (const item of value) writeField(writer, field, item, depth);
    // A value is one of its kinds.
    if (type === ANY_VALUE) return;
  }
}

function writePacked(writer: Writer, field: Field, values: readonly Json[]): void {
  if (values.length === 0) return;
  writer.uint32(tag(field.number, BYTES)).fork();
  for (const value of values) writeScalar(writer, field, value);
  writer.ldelim();
}

function writeField(writer: Writer, field: Field, value: Json, depth: number): void {
  if (typeof field.type === 'string') {
    writer.uint32(tag(field.number, wireOf(field.type)));
    writeScalar(writer, field, value);
    return;
  }
  const inner = objectOr(
    value,
    () =>
      new RefusedRecord(
        field.repeated ? `${field.name} holds something that is not an object` : `${field.name} is not an object`,
      ),
  );
  writer.uint32(tag(field.number, BYTES)).fork();
  writeMessage(writer, inner, field.type, depth + 1);
  writer.ldelim();
}

function writeScalar(writer: Writer, { name, type }: Field, value: Json): void {
  switch (type) {
    case 'string':
      writer.string(text(value, name));
      return;
    case 'id':
      writer.bytes(idBytes(text(value, name)));
      return;
    case 'bytes':
      writer.bytes(Buffer.from(text(value, name), 'base64'));
      return;
    case 'bool':
      if (typeof value !== 'boolean') throw new RefusedRecord(`${name} is not true or false`);
      writer.bool(value);
      return;
    case 'double':
      writer.double(double(value, name));
      return;
    case 'fixed64':
    case 'sfixed64': {
      const bits = BigInt.asUintN(64, long(value, name, type === 'fixed64'));
      writer.fixed32(Number(bits & 0xffffffffn)).fixed32(Number(bits >> 32n));
      return;
    }
    case 'int64':
    case 'uint64': {
      const bits = BigInt.asUintN(64, long(value, name, type === 'uint64'));
      writer.uint64({ low: Number(bits & 0xffffffffn) | 0, high: Number(bits >> 32n) | 0, unsigned: true } as never);
      return;
    }
    case 'fixed32':
      writer.fixed32(integer(value, name, 0, 2 ** 32 - 1));
      return;
    case 'uint32':
      writer.uint32(integer(value, name, 0, 2 ** 32 - 1));
      return;
    case 'sint32':
      writer.sint32(integer(value, name));
      return;
    default:
      writer.int32(integer(value, name));
  }
}

function text(value: Json, name: string): string {
  if (value == null) return '';
  if (typeof value !== 'string') throw new RefusedRecord(`${name} is not a text`);
  return value.isWellFormed() ? value : value.toWellFormed();
}

/** What is no hex becomes a single byte, which no id may be, so that it is refused as an id of the wrong length. */
function idBytes(hex: string): Uint8Array {
  return /^(?:[0-9a-fA-F]{2})*$/.test(hex) ? fromHex(hex) : new Uint8Array(1);
}

function integer(value: Json, name: string, least = -(2 ** 31), most = 2 ** 31 - 1): number {
  if (!Number.isInteger(value)) throw new RefusedRecord(`${name} is not an integer`);
  if ((value as number) < least || (value as number) > most) throw new RefusedRecord(`${name} is out of range`);
  return value as number;
}

function long(value: Json, name: string, unsigned: boolean): bigint {
  const digits = typeof value === 'number' && Number.isInteger(value) ? BigInt(value).toString() : value;
  if (typeof digits !== 'string' || !/^-?\d{1,20}$/.test(digits)) throw new RefusedRecord(`${name} is not an integer`);
  const number = BigInt(digits);
  const [least, most] = unsigned ? [0n, 2n ** 64n] : [-(2n ** 63n), 2n ** 63n];
  if (number < least || number >= most) throw new RefusedRecord(`${name} is out of range`);
  return number;
}

function double(value: Json, name: string): number {
  if (typeof value !== 'number' && !/^(NaN|-?Infinity|-?\d[\d.eE+-]*)$/.test(String(value)))
    throw new RefusedRecord(`${name} is not a number`);
  return Number(value);
}

function object(from: JsonObject, key: string): JsonObject {
  return from[key] == null ? {} : objectOr(from[key], () => new RefusedRecord(`${key} is not an object`));
}

function objectOr(value: Json, error: () => Error): JsonObject {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) throw error();
  return value as JsonObject;
}

function outerList(from: JsonObject, key: string): JsonObject[] {
  const value = from[key];
  if (value == null) return [];
  if (!Array.isArray(value)) throw new MalformedRequest(`${key} is not a list`);
  return value.map((item) => objectOr(item, () => new MalformedRequest(`${key} holds something that is not an object`)));
}
