import type { Readable } from 'node:stream';
import { encodeAnswer, encodeStatus, type OtlpEncoding, STATUS_CODE } from '../../formats/otlp/wire/answers.ts';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { MalformedRequest } from '../../formats/otlp/wire/refusal.ts';
import { countIntake, noteSender } from '../../intake/meter.ts';
import { type Held, Pressure } from '../../intake/pressure.ts';
import { acceptElsewhere } from '../../intake/process/acceptElsewhere.ts';
import { DatabaseUnavailable, TakesTooLong, WorkerLost } from '../../intake/process/failures.ts';
import { collectBody, NoRoom, RefusedBody } from '../../intake/requestBody.ts';
import { RoomWatch } from '../../intake/roomLeft.ts';
import { intakeSettings } from '../../intake/settings.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { freeDisk } from '../../server/freeDisk.ts';
import { retentionSettings } from '../../server/housekeeping.ts';
import { errorText } from '../../server/requests/errorText.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { isDatabaseUnavailable } from '../../store/database/connection.ts';
import { today } from '../../store/retention/days.ts';
import { spareBytes, usedBytes } from '../../store/retention/hours.ts';
import { type AdmittedSender, admitSender } from './admitSender.ts';

const settings = intakeSettings();
const pressure = new Pressure(settings);
/** One sender cannot fill the disk, not within a day either. */
const room = new RoomWatch(async () => {
  const [used, spare, free] = await Promise.all([usedBytes(today()), spareBytes(today()), freeDisk()]);
  // What hours left that were dropped is taken by what comes, before any of the disk.
  return { stored: used, free: free === null ? null : free + spare, mostStored: retentionSettings().mostBytes };
});

/** What the door holds at this moment, and what it may. */
export function heldNow(): Held & { readonly mostRequests: number; readonly mostBytes: number; readonly mostWorkBytes: number } {
  const { heldRequests: mostRequests, heldBytes: mostBytes, workBytes: mostWorkBytes } = settings;
  return { ...pressure.held, mostRequests, mostBytes, mostWorkBytes };
}

/** By the status of the answer. */
const refusedOf = new Map<number, number>();

/** Requests that were not taken since the process began, by the status of the answer. */
export function refusedSoFar(): ReadonlyMap<number, number> {
  return refusedOf;
}

/**
 * An OTLP/HTTP export: keeps the records, then answers as the standard says, in the encoding of the request.
 *
 * @param incoming the request's body as it comes
 * @param sender by whose token it comes; absent where none is asked for
 */
export async function receive(signal: Signal, request: Request, incoming: Readable, sender?: AdmittedSender): Promise<Response> {
  const encoding = encodingOf(request);
  if (!encoding) {
    const type = request.headers.get('content-type') ?? 'none';
    const why = `content type "${type}" is not known here; send application/x-protobuf or application/json`;
    return refused(signal, 'application/json', 415, STATUS_CODE.invalidArgument, why);
  }
  const full = room.words(Date.now());
  if (full !== '') return comeAgain(signal, encoding, full);
  const place = pressure.enter(currentRequest()?.address);
  if (!place) return comeAgain(signal, encoding, 'more has come than can be worked on now');
  try {
    const packed = await collectBody(request.headers, incoming, settings.bodyBytes, place.take);
    const began = performance.now();
    const most = encoding === 'application/json' ? settings.jsonBytes : settings.unpackedBytes;
    const room = Math.min(packed.unpackedBytes, most);
    const bytes = packed.parts.reduce((sum, { length }) => sum + length, 0);
    const kept = await pressure.work(room, encoding, () =>
      acceptElsewhere(signal, packed, encoding, most, sender?.environment ?? ''),
    );
    const ms = performance.now() - began;
    sender?.sent({ bytes, records: kept.repeated ? 0 : kept.accepted, names: kept.names });
    const { accepted, rejected, message, repeated, masked } = kept;
    countIntake(signal, {
      requests: 1,
      records: repeated ? 0 : accepted,
      repeated: repeated ? 1 : 0,
      bytes,
      masked,
      busyMs: ms,
      slowestMs: ms,
    });
    if (!repeated) for (const sender of kept.senders) noteSender(sender);
    for (const [reason, count] of kept.refused) countIntake(signal, { records: count }, reason);
    return answer(encoding, 200, encodeAnswer(signal, encoding, message === '' ? null : { rejected, message }));
  } catch (error) {
    return failure(signal, encoding, error);
  } finally {
    place.leave();
  }
}

/** An OTLP/HTTP export from outside: who sends it has a token, where that is asked for. */
export async function receiveAtDoor(signal: Signal, request: Request, incoming: Readable): Promise<Response> {
  if (!areAccountsOn()) return receive(signal, request, incoming);
  const encoding = encodingOf(request) ?? 'application/json';
  try {
    const admitted = await admitSender(signal, request.headers, Date.now());
    if ('environment' in admitted) return await receive(signal, request, incoming, admitted);
    const { status, message, seconds } = admitted;
    const code = status === 429 ? STATUS_CODE.resourceExhausted : STATUS_CODE.unauthenticated;
    return refused(signal, encoding, status, code, message, {
      ...(seconds === undefined ? {} : { 'retry-after': String(seconds) }),
      ...(status === 401 ? { 'www-authenticate': 'Bearer' } : {}),
    });
  } catch (error) {
    return isDatabaseUnavailable(error)
      ? comeAgain(signal, encoding, 'the database cannot be reached')
      : failure(signal, encoding, error);
  }
}

/** The answer to other methods. */
export function ALL(): Response {
  return new Response(null, { status: 405, headers: { allow: 'POST' } });
}

function encodingOf(request: Request): OtlpEncoding | undefined {
  const type = request.headers.get('content-type')?.split(';')[0].trim().toLowerCase();
  return type === 'application/x-protobuf' || type === 'application/json' ? type : undefined;
}

function failure(signal: Signal, encoding: OtlpEncoding, error: unknown): Response {
  if (error instanceof RefusedBody) {
    const code = error.status === 413 ? STATUS_CODE.resourceExhausted : STATUS_CODE.invalidArgument;
    return refused(signal, encoding, error.status, code, error.message);
  }
  if (error instanceof MalformedRequest) return refused(signal, encoding, 400, STATUS_CODE.invalidArgument, error.message);
  if (error instanceof NoRoom) return comeAgain(signal, encoding, error.message);
  if (error instanceof DatabaseUnavailable || error instanceof WorkerLost || error instanceof TakesTooLong)
    return comeAgain(signal, encoding, error.message);
  console.error(errorText(error));
  return refused(
    signal,
    encoding,
    500,
    STATUS_CODE.internal,
    'the records could not be stored; the log of the application says why',
  );
}

function comeAgain(signal: Signal, encoding: OtlpEncoding, message: string): Response {
  return refused(signal, encoding, 503, STATUS_CODE.unavailable, `${message}; send the same again`, { 'retry-after': '2' });
}

function refused(
  signal: Signal,
  encoding: OtlpEncoding,
  http: number,
  code: number,
  message: string,
  headers: Record<string, string> = {},
): Response {
  refusedOf.set(http, (refusedOf.get(http) ?? 0) + 1);
  countIntake(signal, { requests: 1 }, `${http}: ${message}`);
  return answer(encoding, http, encodeStatus(encoding, code, message), headers);
}

function answer(encoding: OtlpEncoding, http: number, body: Uint8Array, headers: Record<string, string> = {}): Response {
  return new Response(body as BodyInit, { status: http, headers: { 'content-type': encoding, ...headers } });
}
