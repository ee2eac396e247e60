import { storable } from '../attributes/attributes.ts';
import { checkMessage } from '../wire/check.ts';
import { PROFILE, PROFILES_DICTIONARY } from '../wire/messages.ts';
import { RefusedRecord } from '../wire/refusal.ts';
import { BYTES, FIXED64, fixed64, message, type Reader, readerOf, signed64, submessage, tag, VARINT } from '../wire/wire.ts';

/** What the store must know of a profile to keep and find it. */
export interface ProfileHead {
  /** Epoch nanoseconds. */
  readonly time: bigint;
  readonly durationNs: number;
  /** What its values measure, and in which unit. */
  readonly type: string;
  readonly unit: string;
  readonly samples: number;
  /** Sum of all values; the number of samples where there are only the times of each. */
  readonly total: number;
  /** How many samples name a span. */
  readonly linked: number;
}

/** How long the tables of a dictionary are, and its texts: enough to judge a profile. */
export interface ProfileTables {
  readonly strings: readonly string[];
  readonly stacks: number;
  readonly links: number;
}

/** @throws RangeError when the bytes are broken; RefusedRecord when its tables do not point into each other */
export function readTables(dictionary: Uint8Array): ProfileTables {
  checkMessage(dictionary, PROFILES_DICTIONARY);
  const reader = readerOf(dictionary);
  const strings: string[] = [];
  let stacks = 0;
  let links = 0;
  message(reader, dictionary.length, (at) => {
    if (at === tag(5, BYTES)) {
      strings.push(storable(reader.string()));
      return true;
    }
    if (at === tag(7, BYTES)) stacks++;
    else if (at === tag(4, BYTES)) links++;
    return false;
  });
  return { strings, stacks, links };
}

const LAST_TIME = 2n ** 63n - 1n;

/**
 * Reads the head of a Profile message and checks all of it against the tables of its request.
 *
 * @throws RefusedRecord with the reason why it cannot be kept; RangeError when the bytes are broken
 */
export function readProfileHead(record: Uint8Array, tables: ProfileTables): ProfileHead {
  checkMessage(record, PROFILE);
  const reader = readerOf(record);
  let time = 0n;
  let durationNs = 0n;
  let type = '';
  let unit = '';
  let samples = 0;
  let total = 0;
  let linked = 0;
  const named = (index: number) => tables.strings[index] ?? refuse('a text of a profile is not in its string table');
  message(reader, record.length, (at) => {
    if (at === tag(1, BYTES)) {
      submessage(reader, (inner) => {
        if (inner === tag(1, VARINT)) type = named(reader.int32());
        else if (inner === tag(2, VARINT)) unit = named(reader.int32());
        else return false;
        return true;
      });
    } else if (at === tag(2, BYTES)) {
      const sample = readSample(reader);
      if (sample.stack < 0 || (sample.stack >= tables.stacks && sample.stack !== 0))
        refuse('a stack of a profile is not in its stack table');
      if (sample.link < 0 || (sample.link >= tables.links && sample.link !== 0))
        refuse('a link of a profile is not in its link table');
      samples++;
      total += sample.value;
      // Index 0 means no link.
      if (sample.link > 0) linked++;
    } else if (at === tag(3, FIXED64)) time = fixed64(reader);
    else if (at === tag(4, VARINT)) durationNs = BigInt.asUintN(64, signed64(reader.uint64()));
    else return false;
    return true;
  });
  if (time === 0n) refuse('the time of a profile is missing');
  if (time > LAST_TIME) refuse('time is beyond the year 2262');
  if (durationNs > BigInt(Number.MAX_SAFE_INTEGER)) refuse('duration is over 104 days');
  if (!Number.isSafeInteger(total)) refuse('the values of a profile sum to more than 2^53');
  return { time, durationNs: Number(durationNs), type, unit, samples, total, linked };
}

function readSample(reader: Reader): { stack: number; link: number; value: number } {
  let stack = 0;
  let link = 0;
  let value = 0;
  let times = 0;
  let hasValues = false;
  submessage(reader, (at) => {
    switch (at) {
      case tag(1, VARINT):
        stack = reader.int32();
        return true;
      case tag(4, VARINT):
        link = reader.int32();
        return true;
      case tag(2, VARINT):
        value += Number(signed64(reader.int64()));
        hasValues = true;
        return true;
      case tag(2, BYTES): {
        const end = reader.uint32() + reader.pos;
        while (reader.pos < end) value += Number(signed64(reader.int64()));
        hasValues = true;
        return true;
      }
      case tag(5, BYTES): {
        const length = reader.uint32();
        times += length / 8;
        reader.skip(length);
        return true;
      }
      default:
        return false;
    }
  });
  return { stack, link, value: hasValues ? value : times };
}

function refuse(reason: string): never {
  throw new RefusedRecord(reason);
}
