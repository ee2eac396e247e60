import { isPackable, KEY_VALUE, type MessageType, wireOf } from './messages.ts';
import { DEEPEST_VALUE, RefusedRecord, tooDeep } from './refusal.ts';
import { BYTES, message, type Reader, readerOf } from './wire.ts';

/**
 * Walks a message and all in it, so that what is kept can be read again: every known field ends where its message says, values are
 * not nested without end. @throws RangeError where the bytes are broken; RefusedRecord when values are nested too deep
 */
export function checkMessage(bytes: Uint8Array, type: MessageType): void {
  fieldsLeft = Number.POSITIVE_INFINITY;
  checkFields(readerOf(bytes), bytes.length, type, 0);
}

/** The same for a message in which more fields than some are refused: each takes many times its bytes once it is read. */
export function checkFieldCount(bytes: Uint8Array, type: MessageType, most: number): void {
  fieldsLeft = most;
  try {
    checkFields(readerOf(bytes), bytes.length, type, 0);
  } finally {
    fieldsLeft = Number.POSITIVE_INFINITY;
  }
}

/** How many fields may still come in the message that is checked. */
let fieldsLeft = Number.POSITIVE_INFINITY;

/** The same for a message that the reader stands before, its length first. `depth` is how many values are around it. */
export function checkSubmessage(reader: Reader, type: MessageType, depth: number): void {
  const length = reader.uint32();
  checkFields(reader, reader.pos + length, type, depth);
}

function checkFields(reader: Reader, end: number, type: MessageType, depth: number): void {
  if (depth > DEEPEST_VALUE) throw tooDeep();
  const inner = type === KEY_VALUE ? depth + 1 : depth;
  message(reader, end, (at) => {
    if (--fieldsLeft < 0) throw new RefusedRecord(`${type.name} has too many fields`);
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
