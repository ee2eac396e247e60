import protobuf from 'protobufjs/minimal.js';
import type { Signal } from './messages.ts';

/** The two encodings of OTLP/HTTP, by their content types. An answer has the encoding of its request. */
export type OtlpEncoding = 'application/x-protobuf' | 'application/json';

/** gRPC status codes as far as OTLP/HTTP answers use them in a `Status` body. */
export const STATUS_CODE = {
  invalidArgument: 3,
  resourceExhausted: 8,
  internal: 13,
  unavailable: 14,
  unauthenticated: 16,
} as const;

/** What was refused of an accepted request. */
export interface PartialSuccess {
  readonly rejected: number;
  readonly message: string;
}

/** How the JSON of each signal's answer calls the number of refused records. */
const REJECTED: Readonly<Record<Signal, string>> = {
  traces: 'rejectedSpans',
  logs: 'rejectedLogRecords',
  metrics: 'rejectedDataPoints',
  profiles: 'rejectedProfiles',
};

/** An export response: empty when all was kept and there is nothing to say. */
export function encodeAnswer(signal: Signal, encoding: OtlpEncoding, partial: PartialSuccess | null): Uint8Array {
  if (encoding === 'application/json') {
    return utf8(
      partial ? { partialSuccess: { [REJECTED[signal]]: String(partial.rejected), errorMessage: partial.message } } : {},
    );
  }
  const writer = protobuf.Writer.create();
  if (partial) {
    writer.uint32((1 << 3) | 2).fork();
    if (partial.rejected > 0) writer.uint32(1 << 3).int64(partial.rejected);
    writer.uint32((2 << 3) | 2).string(partial.message);
    writer.ldelim();
  }
  return writer.finish();
}

/** A `google.rpc.Status`, the body of every answer that is not a success. */
export function encodeStatus(encoding: OtlpEncoding, code: number, message: string): Uint8Array {
  if (encoding === 'application/json') return utf8({ code, message });
  return protobuf.Writer.create()
    .uint32(1 << 3)
    .int32(code)
    .uint32((2 << 3) | 2)
    .string(message)
    .finish();
}

function utf8(value: unknown): Uint8Array {
  return new TextEncoder().encode(JSON.stringify(value));
}
