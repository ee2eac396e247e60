import { type Masker, type OnMask, SlowPattern } from '../../../core/masking/rules.ts';
import { KEY_VALUE, type MessageType, PROFILES_DICTIONARY, REQUESTS, RESOURCE, SCOPE, type Signal } from '../wire/messages.ts';
import { aroundRecords, type Refusals, RefusedRecord, tooDeep } from '../wire/refusal.ts';
import { field, type RecordGroup, type TelemetryRequest } from '../wire/request.ts';
import { BYTES, type Reader, readerOf } from '../wire/wire.ts';
import type { SignScan } from './scan.ts';

/** Fields within fields, at most: those of values within values, and some around them. */
const DEEPEST = 150;

/** Knows which pieces of a request are worth a look. */
export interface CandidateFinder {
  mayHold(piece: Uint8Array): boolean;
}

const ANY_PIECE: CandidateFinder = { mayHold: () => true };

/** Masks records one by one, for who reads them anyway and looks at them meanwhile. */
export interface RecordMasking {
  readonly look: SignScan;
  /** The record without what the rules take out; the same when there is nothing. @throws RefusedRecord when it is nested too deep */
  mask(record: Uint8Array): Uint8Array;
}

export function recordMasking(look: SignScan, signal: Signal, rules: Masker, onMask: OnMask): RecordMasking {
  const { record: type } = REQUESTS[signal];
  return { look, mask: (record) => maskMessage(record, type, rules, onMask) };
}

/**
 * A request without what the rules take out. Pieces in which nothing is masked are the same bytes as before; in the others all that is
 * not masked is copied byte for byte.
 */
export function maskRequest(
  request: TelemetryRequest,
  signal: Signal,
  rules: Masker,
  refusals: Refusals,
  onMask: OnMask,
  candidateFinder: CandidateFinder = ANY_PIECE,
): TelemetryRequest {
  const masking: Masking = { rules, refusals, onMask, candidateFinder, known: new Map() };
  const { groups, beside } = maskedAround(request, signal, masking);
  const { record } = REQUESTS[signal];
  return { groups: groups.map((group) => ({ ...group, records: maskedRecords(masking, group.records, record) })), beside };
}

/** A request of which all but the records is masked. */
export function maskAround(
  request: TelemetryRequest,
  signal: Signal,
  rules: Masker,
  refusals: Refusals,
  onMask: OnMask,
  candidateFinder: CandidateFinder,
): TelemetryRequest {
  return maskedAround(request, signal, { rules, refusals, onMask, candidateFinder, known: new Map() });
}

function maskedAround(request: TelemetryRequest, signal: Signal, masking: Masking): TelemetryRequest {
  const groups: RecordGroup[] = [];
  for (const { resource, besideResource, scope, besideScope, records } of request.groups)
    groups.push({
      resource: maskedOnce(masking, resource, RESOURCE),
      besideResource,
      scope: maskedOnce(masking, scope, SCOPE),
      besideScope,
      records,
    });
  const beside = signal === 'profiles' ? aroundRecords(() => masked(masking, request.beside, BESIDE_PROFILES)) : request.beside;
  return { groups, beside };
}

interface Masking {
  readonly rules: Masker;
  readonly refusals: Refusals;
  readonly onMask: OnMask;
  readonly candidateFinder: CandidateFinder;
  /** Resources and scopes that were seen before, as they are now. */
  readonly known: Map<Uint8Array, Uint8Array>;
}

function masked({ rules, onMask, candidateFinder }: Masking, bytes: Uint8Array, type: MessageType): Uint8Array {
  return candidateFinder.mayHold(bytes) ? maskMessage(bytes, type, rules, onMask) : bytes;
}

function maskedOnce(masking: Masking, bytes: Uint8Array, type: MessageType): Uint8Array {
  let found = masking.known.get(bytes);
  if (!found) {
    found = masking.refusals.attempt(() => masked(masking, bytes, type)) ?? bytes;
    masking.known.set(bytes, found);
  }
  return found;
}

/** The same list as long as nothing in it changes: in most requests there is nothing to be masked. */
function maskedRecords(masking: Masking, records: readonly Uint8Array[], type: MessageType): readonly Uint8Array[] {
  const { rules, refusals, onMask, candidateFinder } = masking;
  let changed: Uint8Array[] | undefined;
  for (let at = 0; at < records.length; at++) {
    const record = records[at];
    if (!candidateFinder.mayHold(record)) {
      changed?.push(record);
      continue;
    }
    try {
      const after = maskMessage(record, type, rules, onMask);
      if (after !== record) changed ??= records.slice(0, at);
      changed?.push(after);
    } catch (error) {
      if (!(error instanceof RefusedRecord)) throw error;
      refusals.note(error);
      changed ??= records.slice(0, at);
    }
  }
  return changed ?? records;
}

/** What stands beside the resources of a profiles request: the dictionary, as field 2. */
const BESIDE_PROFILES: MessageType = {
  name: 'beside profiles',
  fields: [],
  byNumber: new Map([[2, { number: 2, name: 'dictionary', type: PROFILES_DICTIONARY, repeated: false }]]),
};

/** A message without what the rules take out; the same bytes when there is nothing, or when they are broken, which is found out later. */
function maskMessage(bytes: Uint8Array, type: MessageType, rules: Masker, onMask: OnMask): Uint8Array {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  try {
    return rewritten(buffer, type, rules, onMask, '', 0) ?? bytes;
  } catch (error) {
    if (error instanceof RefusedRecord || error instanceof SlowPattern) throw error;
    return bytes;
  }
}

/** The message with its texts masked; undefined when nothing changes. @param key of the attribute that it is the value of */
function rewritten(
  bytes: Buffer,
  type: MessageType,
  rules: Masker,
  onMask: OnMask,
  key: string,
  depth: number,
): Buffer | undefined {
  if (depth > DEEPEST) throw tooDeep();
  if (type === KEY_VALUE) return rewrittenPair(bytes, rules, onMask, depth);
  const pieces: Uint8Array[] = [];
  let copied = 0;
  eachPiece(bytes, (number, start, content) => {
    const known = type.byNumber.get(number)?.type;
    let replaced: Uint8Array | undefined;
    if (known === 'string') {
      const before = content.toString('utf8');
      const after = rules.ofText(key, before, onMask);
      if (after !== before) replaced = Buffer.from(after);
    } else if (known !== undefined && typeof known !== 'string')
      replaced = rewritten(content, known, rules, onMask, key, depth + 1);
    if (!replaced) return;
    pieces.push(bytes.subarray(copied, start), ...field(number, [replaced]));
    copied = content.byteOffset - bytes.byteOffset + content.length;
  });
  return pieces.length === 0 ? undefined : Buffer.concat([...pieces, bytes.subarray(copied)]);
}

function rewrittenPair(bytes: Buffer, rules: Masker, onMask: OnMask, depth: number): Buffer | undefined {
  let key = '';
  let value: Buffer | undefined;
  eachPiece(bytes, (number, _, content) => {
    if (number === 1) key = content.toString('utf8');
    else if (number === 2) value = content;
  });
  if (!value) return undefined;
  const hit = rules.ofKey(key);
  const stringValue = (text: string) => field(1, [Buffer.from(text)]);
  if (hit) {
    // Masked before, by this rule.
    if (value.equals(Buffer.concat(stringValue(hit.text)))) return undefined;
    onMask(hit.rule, key, value.subarray(2).toString('utf8'), hit.text);
    return Buffer.concat([...field(1, [Buffer.from(key)]), ...field(2, stringValue(hit.text))]);
  }
  const known = KEY_VALUE.byNumber.get(2)?.type;
  if (known === undefined || typeof known === 'string') return undefined;
  const after = rewritten(value, known, rules, onMask, key, depth + 1);
  return after && Buffer.concat([...field(1, [Buffer.from(key)]), ...field(2, [after])]);
}

/** Goes through the fields of a message that hold bytes: their number, where their tag begins, and the bytes. */
function eachPiece(bytes: Buffer, see: (number: number, start: number, content: Buffer) => void): void {
  const reader: Reader = readerOf(bytes);
  while (reader.pos < bytes.length) {
    const start = reader.pos;
    const at = reader.uint32();
    if (at >>> 3 === 0) throw new RangeError(`field number 0 at byte ${start}`);
    if ((at & 7) !== BYTES) {
      reader.skipType(at & 7);
      continue;
    }
    const length = reader.uint32();
    const from = reader.pos;
    reader.skip(length);
    see(at >>> 3, start, bytes.subarray(from, from + length));
  }
}
