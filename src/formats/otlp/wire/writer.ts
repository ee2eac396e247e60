import protobuf from 'protobufjs/minimal.js';
import type { Attributes, AttributeValue, InstrumentationScope } from '../../../core/trace/span.ts';

export type Writer = protobuf.Writer;

/** What an export request says of whose a record is. */
export interface Whose {
  readonly resource: Attributes;
  readonly scope: InstrumentationScope;
}

/** Writes an export request of any signal. Records that share a resource object and a scope object stand together. */
export function encodeRequest<T extends Whose>(
  records: readonly T[],
  write: (writer: Writer, records: readonly T[]) => void,
): Uint8Array {
  const byResource = new Map<Attributes, Map<InstrumentationScope, T[]>>();
  for (const record of records) {
    const scopes = byResource.get(record.resource) ?? new Map<InstrumentationScope, T[]>();
    byResource.set(record.resource, scopes);
    const list = scopes.get(record.scope) ?? [];
    scopes.set(record.scope, list);
    list.push(record);
  }
  const writer = protobuf.Writer.create();
  for (const [resource, scopes] of byResource) {
    nested(writer, 1, () => {
      nested(writer, 1, () => writeAttributes(writer, 1, resource));
      for (const [scope, list] of scopes) {
        nested(writer, 2, () => {
          nested(writer, 1, () => {
            writeText(writer, 1, scope.name);
            writeText(writer, 2, scope.version);
          });
          write(writer, list);
        });
      }
    });
  }
  return writer.finish();
}

export function writeAttributes(writer: Writer, field: number, attributes: Attributes): void {
  for (const [key, value] of Object.entries(attributes)) {
    nested(writer, field, () => {
      writeText(writer, 1, key);
      nested(writer, 2, () => writeAnyValue(writer, value));
    });
  }
}

export function writeAnyValue(writer: Writer, value: AttributeValue): void {
  if (typeof value === 'string') writer.uint32(bytesTag(1)).string(value);
  else if (typeof value === 'boolean') writer.uint32(2 << 3).bool(value);
  else if (typeof value === 'number') {
    if (Number.isSafeInteger(value)) writer.uint32(3 << 3).int64(value);
    else writer.uint32((4 << 3) | 1).double(value);
  } else if (isList(value)) {
    nested(writer, 5, () => {
      for (const item of value) nested(writer, 1, () => writeAnyValue(writer, item));
    });
  } else if (value !== null) nested(writer, 6, () => writeAttributes(writer, 1, value));
}

function isList(value: AttributeValue): value is readonly AttributeValue[] {
  return Array.isArray(value);
}

export function nested(writer: Writer, field: number, write: () => void): void {
  writer.uint32(bytesTag(field)).fork();
  write();
  writer.ldelim();
}

export function bytesTag(field: number): number {
  return (field << 3) | 2;
}

export function writeText(writer: Writer, field: number, text: string): void {
  if (text !== '') writer.uint32(bytesTag(field)).string(text);
}

export function writeFixed64(writer: Writer, field: number, value: bigint): void {
  writer
    .uint32((field << 3) | 1)
    .fixed32(Number(value & 0xffffffffn))
    .fixed32(Number(value >> 32n));
}

export function writeDouble(writer: Writer, field: number, value: number): void {
  writer.uint32((field << 3) | 1).double(value);
}

export function writeId(writer: Writer, field: number, hex: string): void {
  writer.uint32(bytesTag(field)).bytes(Buffer.from(hex, 'hex'));
}
