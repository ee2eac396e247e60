import protobuf from 'protobufjs/minimal.js';
import { ENVIRONMENT, FORMER_ENVIRONMENT } from '../../../core/accounts/environment.ts';
import type { TelemetryRequest } from './request.ts';
import { BYTES, message, readerOf, tag } from './wire.ts';
import { writeAttributes } from './writer.ts';

const ATTRIBUTES = tag(1, BYTES);
const KEY = tag(1, BYTES);

/** The same request with every resource of one environment, whatever its sender said of it. */
export function ofEnvironment(request: TelemetryRequest, environment: string): TelemetryRequest {
  const changed = new Map<Uint8Array, Uint8Array>();
  const of = (resource: Uint8Array): Uint8Array => {
    const known = changed.get(resource);
    if (known) return known;
    const bytes = resourceOf(resource, environment);
    changed.set(resource, bytes);
    return bytes;
  };
  return { ...request, groups: request.groups.map((it) => ({ ...it, resource: of(it.resource) })) };
}

/** A Resource message without what it says of its environment, and with that said instead. */
function resourceOf(resource: Uint8Array, environment: string): Uint8Array {
  const kept: Uint8Array[] = [];
  const reader = readerOf(resource);
  while (reader.pos < resource.length) {
    const began = reader.pos;
    const at = reader.uint32();
    const start = reader.pos;
    reader.skipType(at & 7);
    if (at === ATTRIBUTES && isOfEnvironment(resource.subarray(start, reader.pos))) continue;
    kept.push(resource.subarray(began, reader.pos));
  }
  const writer = protobuf.Writer.create();
  writeAttributes(writer, 1, { [ENVIRONMENT]: environment });
  return Buffer.concat([...kept, writer.finish()]);
}

/** @param field a KeyValue with its length before it */
function isOfEnvironment(field: Uint8Array): boolean {
  const reader = readerOf(field);
  const length = reader.uint32();
  let key = '';
  message(reader, reader.pos + length, (at) => {
    if (at !== KEY) return false;
    key = reader.string();
    return true;
  });
  return key === ENVIRONMENT || key === FORMER_ENVIRONMENT;
}
