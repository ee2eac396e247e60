import { isPackable, KEY_VALUE, type MessageType, wireOf } from './messages.ts';
import { DEEPEST_VALUE, tooDeep } from './refusal.ts';
import { BYTES, message, type Reader, readerOf } from './wire.ts';

/**
 * Walks a message and all in it, so that what is kept can be read again: every known field ends where its message says, values are
 * not nested without end. @throws RangeError where the bytes are broken; RefusedRecord when values are nested too deep
 */
export function checkMessage(bytes: Uint8Array, type: MessageType): void {
  checkFields(readerOf(bytes), bytes.length, type, 0);
}

/** The same for a message that the reader stands before, its length first. `depth` is how many values are around it. */
export function checkSubmessage(reader: Reader, type: MessageType, depth: number): void {
  const length = reader.uint32();
  checkFields(reader, reader.pos + length, type, depth);
}

function checkFields(reader: Reader, end: number, type: MessageType, depth: number): void {
  if (depth > DEEPEST_VALUE) throw tooDeep();
  const inner = type === KEY_VALUE ? depth + 1 : depth;
  message(reader, end, (at) => {
    const field = type.byNumber.get(at >>> 3);
    if (!field) return false;
    const wire = at & 7;
    if (typeof field.type !== 'string' && wire === BYTES)
      checkSubmessage(reader, field.type, type.name === 'ArrayValue' ? depth + 1 : inner);
    else if (wire === BYTES && isPackable(field)) checkPacked(reader, wireOf(field.type));
    else return false;
    return true;
  });
}

function checkPacked(reader: Reader, wire: number): void {
  const length = reader.uint32();
  const end = reader.pos + length;
  if (end > reader.len) throw new RangeError(`packed values end at byte ${end} of ${reader.len}`);
  while (reader.pos < end) reader.skipType(wire);
  if (reader.pos !== end) throw new RangeError(`a packed value runs past byte ${end}`);
}
