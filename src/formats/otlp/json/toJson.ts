import {
  type Field,
  isPackable,
  KEY_VALUE,
  type MessageType,
  PROFILES_DICTIONARY,
  REQUESTS,
  RESOURCE,
  SCOPE,
  type Signal,
  wireOf,
} from '../wire/messages.ts';
import { MalformedRequest } from '../wire/refusal.ts';
import { dictionaryOf, type TelemetryRequest } from '../wire/request.ts';
import { BYTES, fixed64, message, type Reader, readerOf, signed64, tag, wholeMessage } from '../wire/wire.ts';

type JsonObject = Record<string, unknown>;

/** An export request as the object that OTLP/JSON writes. Fields of protobuf that OTLP does not name have no name in JSON either. */
export function requestToJson(request: TelemetryRequest, signal: Signal): JsonObject {
  const shape = REQUESTS[signal];
  const resources: JsonObject[] = [];
  let last: { of: Uint8Array; beside: Uint8Array; scopes: JsonObject[] } | undefined;
  for (const { resource, besideResource, scope, besideScope, records } of request.groups) {
    if (last?.of !== resource || last.beside !== besideResource) {
      const scopes: JsonObject[] = [];
      last = { of: resource, beside: besideResource, scopes };
      resources.push({ resource: messageToJson(resource, RESOURCE), [shape.scopes]: scopes, ...schemaUrl(besideResource) });
    }
    last.scopes.push({
      scope: messageToJson(scope, SCOPE),
      [shape.records]: records.map((record) => messageToJson(record, shape.record)),
      ...schemaUrl(besideScope),
    });
  }
  const dictionary = signal === 'profiles' ? { dictionary: messageToJson(dictionaryOf(request), PROFILES_DICTIONARY) } : {};
  return { [shape.resources]: resources, ...dictionary };
}

function schemaUrl(beside: Uint8Array): { schemaUrl?: string } {
  let url = '';
  wholeMessage(beside, (reader, at) => {
    if (at !== tag(3, BYTES)) return false;
    url = reader.string();
    return true;
  });
  return url === '' ? {} : { schemaUrl: url };
}

/** One message as OTLP/JSON writes it. @throws MalformedRequest when the bytes are none */
export function messageToJson(bytes: Uint8Array, type: MessageType): JsonObject {
  try {
    return readMessage(readerOf(bytes), bytes.length, type);
  } catch (error) {
    throw new MalformedRequest(`this is no ${type.name}: ${(error as Error).message}`);
  }
}

function readMessage(reader: Reader, end: number, type: MessageType): JsonObject {
  const json: JsonObject = {};
  message(reader, end, (at) => {
    const field = type.byNumber.get(at >>> 3);
    const wire = at & 7;
    if (!field || (wire !== wireOf(field.type) && !(wire === BYTES && isPackable(field)))) return false;
    const value = readValue(reader, field, wire);
    if (!field.repeated) json[field.name] = value;
    else {
      json[field.name] ??= [];
      const list = json[field.name] as unknown[];
      // Packed numbers come as a list, everything else one by one. Pushing spread would overflow the stack on long lists.
      if (Array.isArray(value)) for (const item of value) list.push(item);
      else list.push(value);
    }
    return true;
  });
  // A key is never left out, though protobuf does not write an empty one.
  if (type === KEY_VALUE) json.key ??= '';
  return json;
}

function readValue(reader: Reader, field: Field, wire: number): unknown {
  const { type } = field;
  if (typeof type !== 'string') {
    const length = reader.uint32();
    return readMessage(reader, reader.pos + length, type);
  }
  if (wire === BYTES && isPackable(field)) {
    const end = reader.uint32() + reader.pos;
    const values: unknown[] = [];
    while (reader.pos < end) values.push(readScalar(reader, field));
    return values;
  }
  return readScalar(reader, field);
}

function readScalar(reader: Reader, { type }: Field): unknown {
  switch (type) {
    case 'string':
      return reader.string();
    case 'id':
      return Buffer.from(reader.bytes()).toString('hex');
    case 'bytes':
      return Buffer.from(reader.bytes()).toString('base64');
    case 'bool':
      return reader.bool();
    case 'double': {
      const value = reader.double();
      return Number.isFinite(value) && !Object.is(value, -0) ? value : Object.is(value, -0) ? '-0' : String(value);
    }
    case 'fixed32':
      return reader.fixed32();
    case 'uint32':
      return reader.uint32();
    case 'sint32':
      return reader.sint32();
    case 'int32':
      return reader.int32();
    default: {
      const bits = type === 'fixed64' || type === 'sfixed64' ? fixed64(reader) : signed64(reader.uint64());
      const isSigned = type === 'int64' || type === 'sfixed64';
      return (isSigned ? BigInt.asIntN(64, bits) : BigInt.asUintN(64, bits)).toString();
    }
  }
}
