import { workerData } from 'node:worker_threads';
import { SlowPattern } from '../../core/masking/rules.ts';
import type { OtlpEncoding } from '../../formats/otlp/wire/answers.ts';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { MalformedRequest } from '../../formats/otlp/wire/refusal.ts';
import { errorText } from '../../server/requests/errorText.ts';
import { isDatabaseUnavailable, mayBeWrittenLater } from '../../store/database/connection.ts';
import { shareWriteLock, withoutWriteLock } from '../../store/database/writeLock.ts';
import { type Accepted, accept } from '../accept.ts';
import { BodyMemory } from '../bodyMemory.ts';
import { type PackedBody, RefusedBody, unpackBody } from '../requestBody.ts';
import { keepPulse } from './pulse.ts';
import type { ThreadMemory } from './threadMemory.ts';

/** A request's body on its way to a worker, to which it belongs from then on. */
export interface AcceptJob extends PackedBody {
  readonly signal: Signal;
  readonly encoding: OtlpEncoding;
  /** The most bytes that it may have unpacked. */
  readonly most: number;
  readonly maskingChanged: number;
  /** That all of it is of; empty for what it says itself. */
  readonly environment: string;
}

/** What came of it. Errors lose what they are between threads, so that each kind is named in the result. */
export type AcceptOutcome =
  | { readonly kept: Accepted }
  | { readonly refused: { readonly status: RefusedBody['status']; readonly message: string } }
  | { readonly malformed: string }
  | { readonly databaseUnavailable: true }
  /** A masking rule took too long. */
  | { readonly slowPattern: string }
  /** With its stack. */
  | { readonly failed: string };

const memory = new BodyMemory();
const { writeLock, pulse } = workerData as ThreadMemory;
shareWriteLock(writeLock);
keepPulse(pulse);

/** Unpacks the body of an export request and keeps its records, in a thread of its own. */
export default async function work({
  signal,
  encoding,
  most,
  maskingChanged,
  environment,
  ...packed
}: AcceptJob): Promise<AcceptOutcome> {
  try {
    await withoutWriteLock();
    const body = await unpackBody(packed, most, memory);
    try {
      return { kept: await accept(signal, body, encoding, maskingChanged, environment) };
    } finally {
      memory.give(body);
    }
  } catch (error) {
    if (error instanceof RefusedBody) return { refused: { status: error.status, message: error.message } };
    if (error instanceof MalformedRequest) return { malformed: error.message };
    if (error instanceof SlowPattern) return { slowPattern: error.message };
    if (mayBeWrittenLater(error)) {
      // Seldom enough that its reason is wanted.
      if (!isDatabaseUnavailable(error)) console.error(errorText(error));
      return { databaseUnavailable: true };
    }
    return { failed: error instanceof Error ? (error.stack ?? error.message) : String(error) };
  }
}
