import type { OneCall } from '../../core/measures/callSum.ts';
import { VarintReader, VarintWriter } from '../../core/measures/varint.ts';

/*
 * The two ends of a call, a client or producer span and the server span below it, come from different senders at different times. Each
 * waits in the row of its trace until the other is there.
 */

/** Bytes of a span's id, the last, by which ends know each other within their trace: of 100 000 spans, two meet by chance once in 200 traces. */
const KEY_BYTES = 5;

/** What the byte behind a key says. */
const CALLER = 1;
const FAILED = 2;
const CLIENT_ERROR = 4;
/** The call lies before the day of its trace. */
const EARLIER = 8;
const TAKEN = 16;
/** In the minute of the caller before it, which is then left out: most calls of a trace are. */
const SAME_MINUTE = 32;

interface CallerEnd extends OneCall {
  readonly callId: number;
  readonly minute: number;
  /** Whether a callee has been found. */
  taken: boolean;
}

interface CalleeEnd extends OneCall {
  /** Of the server span, which names the service. */
  readonly operationId: number;
}

/** A call of which both ends are known. */
export interface MatchedCall {
  readonly callId: number;
  /** Minute of the caller's span. */
  readonly minute: number;
  readonly operationId: number;
  readonly caller: OneCall;
  readonly callee: OneCall;
  /** Whether another callee had been found for the same span of the caller. */
  readonly again: boolean;
}

const NONE: readonly MatchedCall[] = [];

/** What must be known of a span that may be an end of a call. */
export interface Ended extends OneCall {
  /** Which end it may be: that of a client or producer, or that of a server. */
  readonly end: 'caller' | 'callee';
  /** The last five bytes of the span's own id for a caller, of its parent's for a callee. */
  readonly key: number;
  /** Of the call for a caller, of the span's operation for a callee. */
  readonly id: number;
  readonly minute: number;
}

/** The ends of one trace that wait, or may be met again. */
export class UnmatchedCalls {
  readonly #callers = new Map<number, CallerEnd>();
  readonly #firstMinute: number;
  /** By the id of the parent. */
  readonly #callees = new Map<number, CalleeEnd[]>();

  /** @param day where the trace lies @param bytes what `encode` gave @throws RangeError when they end in the middle */
  constructor(day: number, bytes: Uint8Array = new Uint8Array(0)) {
    this.#firstMinute = day * 1440;
    const reader = new VarintReader(bytes);
    let minute = this.#firstMinute;
    while (!reader.isAtEnd) {
      let key = 0;
      for (let at = 0; at < KEY_BYTES; at++) key = key * 256 + bytes[reader.at++];
      const flags = reader.next();
      const id = reader.next();
      const tallied = { durationNs: reader.next(), failed: (flags & FAILED) !== 0, clientError: (flags & CLIENT_ERROR) !== 0 };
      if (flags & CALLER) {
        if (!(flags & SAME_MINUTE)) minute = this.#firstMinute + reader.next() * (flags & EARLIER ? -1 : 1);
        this.#callers.set(key, { callId: id, minute, taken: (flags & TAKEN) !== 0, ...tallied });
      } else this.#await(key, { ...tallied, operationId: id });
    }
  }

  /** Adds a span. @returns the calls of which it makes both ends known */
  add({ end, key, id, minute, durationNs, failed, clientError }: Ended): readonly MatchedCall[] {
    if (end === 'caller') {
      const caller: CallerEnd = { callId: id, minute, taken: false, durationNs, failed, clientError };
      this.#callers.set(key, caller);
      const waiting = this.#callees.get(key);
      if (!waiting) return NONE;
      this.#callees.delete(key);
      return waiting.map((callee) => meet(caller, callee));
    }
    const callee = { operationId: id, durationNs, failed, clientError };
    const caller = this.#callers.get(key);
    if (caller) return [meet(caller, callee)];
    this.#await(key, callee);
    return NONE;
  }

  #await(key: number, callee: CalleeEnd): void {
    const waiting = this.#callees.get(key);
    if (waiting) waiting.push(callee);
    else this.#callees.set(key, [callee]);
  }

  encode(): Uint8Array {
    const bytes = new VarintWriter();
    this.encodeInto(bytes);
    return bytes.written();
  }

  encodeInto(bytes: VarintWriter): void {
    let minute = this.#firstMinute;
    for (const [key, caller] of this.#callers) {
      // Counted from the day, which spares most of its bytes; a call may lie before it.
      const offset = caller.minute - this.#firstMinute;
      const isSame = caller.minute === minute;
      minute = caller.minute;
      const flags = CALLER | (caller.taken ? TAKEN : 0) | (isSame ? SAME_MINUTE : offset < 0 ? EARLIER : 0);
      putEnd(bytes, key, flags, caller.callId, caller);
      if (!isSame) bytes.varint(Math.abs(offset));
    }
    for (const [key, waiting] of this.#callees) for (const callee of waiting) putEnd(bytes, key, 0, callee.operationId, callee);
  }
}

function putEnd(bytes: VarintWriter, key: number, flags: number, id: number, { durationNs, failed, clientError }: OneCall): void {
  const high = Math.floor(key / 2 ** 32);
  const low = key - high * 2 ** 32;
  bytes.byte(high);
  for (let shift = 24; shift >= 0; shift -= 8) bytes.byte((low >>> shift) & 255);
  bytes.byte(flags | (failed ? FAILED : 0) | (clientError ? CLIENT_ERROR : 0));
  bytes.varint(id);
  bytes.varint(durationNs);
}

function meet(caller: CallerEnd, callee: CalleeEnd): MatchedCall {
  const again = caller.taken;
  caller.taken = true;
  return { callId: caller.callId, minute: caller.minute, operationId: callee.operationId, caller, callee, again };
}

/** The last five bytes of an id, by which ends know each other. @param high upper half of the id @param low lower half */
export function endKey(high: number, low: number): number {
  return (high & 255) * 2 ** 32 + low;
}
