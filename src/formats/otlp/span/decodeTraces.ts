import { SlowPattern } from '../../../core/masking/rules.ts';
import type { Attributes, InstrumentationScope, Span } from '../../../core/trace/span.ts';
import { readResource, readScope } from '../attributes/attributes.ts';
import { readJsonRequest } from '../json/fromJson.ts';
import type { OtlpEncoding } from '../wire/answers.ts';
import { checkMessage } from '../wire/check.ts';
import { RESOURCE, SCOPE, type Signal } from '../wire/messages.ts';
import { aroundRecords, MalformedRequest, Refusals, RefusedRecord } from '../wire/refusal.ts';
import { type RecordGroup, readRequest, type TelemetryRequest } from '../wire/request.ts';
import { readSpan } from './spanRecord.ts';

/** Takes an export request of either encoding apart. @throws MalformedRequest when it cannot be read */
export function openRequest(body: Uint8Array, encoding: OtlpEncoding, signal: Signal, refusals: Refusals): TelemetryRequest {
  return encoding === 'application/json' ? readJsonRequest(textOf(body), signal, refusals) : readRequest(body);
}

function textOf(body: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(body);
  } catch {
    throw new MalformedRequest('the body is not UTF-8');
  }
}

/** Whose a record is. */
export interface Origin {
  readonly group: RecordGroup;
  /** One object for all records of a resource. */
  readonly resource: Attributes;
  readonly scope: InstrumentationScope;
}

/** Takes records one after the other. */
export interface RecordVisitor {
  /** @throws RefusedRecord where it cannot be kept; any other error when its bytes are broken */
  add(record: Uint8Array, origin: Origin): void;
}

/** Reads each record with its resource and scope, and gives what `read` makes of those that it does not refuse. */
export function eachRecord<T>(
  groups: readonly RecordGroup[],
  refusals: Refusals,
  read: (record: Uint8Array, origin: Origin, refusals: Refusals) => T,
): T[] {
  const reading = new Reading(read, refusals);
  visitRecords(groups, refusals, reading);
  return reading.results;
}

class Reading<T> implements RecordVisitor {
  readonly results: T[] = [];
  readonly #read: (record: Uint8Array, origin: Origin, refusals: Refusals) => T;
  readonly #refusals: Refusals;

  constructor(read: (record: Uint8Array, origin: Origin, refusals: Refusals) => T, refusals: Refusals) {
    this.#read = read;
    this.#refusals = refusals;
  }

  add(record: Uint8Array, origin: Origin): void {
    this.results.push(this.#read(record, origin, this.#refusals));
  }
}

/** Goes through the records of a request. @returns how many were not refused @throws MalformedRequest when the bytes of one are broken */
export function visitRecords(groups: readonly RecordGroup[], refusals: Refusals, visitor: RecordVisitor): number {
  let taken = 0;
  const resources = new Map<Uint8Array, Attributes>();
  for (const group of groups) {
    let resource = resources.get(group.resource);
    if (!resource) {
      resource = readWhole(() => {
        checkMessage(group.resource, RESOURCE);
        return readResource(group.resource);
      });
      resources.set(group.resource, resource);
    }
    taken += visitGroup({ group, resource, scope: readWhole(() => checkedScope(group.scope)) }, refusals, visitor);
  }
  return taken;
}

/*
 * What is done for every record stands in functions that stay: one that is made anew for each request is also translated anew, over and
 * over.
 */
function visitGroup(origin: Origin, refusals: Refusals, visitor: RecordVisitor): number {
  let taken = 0;
  for (const record of origin.group.records) {
    try {
      visitor.add(record, origin);
      taken++;
    } catch (error) {
      if (error instanceof RefusedRecord) refusals.note(error);
      else throw asMalformed(error);
    }
  }
  return taken;
}

function checkedScope(bytes: Uint8Array): InstrumentationScope {
  checkMessage(bytes, SCOPE);
  return readScope(bytes);
}

/** Broken bytes anywhere make the request unreadable: nothing says where the next part would begin. */
export function readWhole<T>(read: () => T): T {
  try {
    return aroundRecords(read);
  } catch (error) {
    throw asMalformed(error);
  }
}

function asMalformed(error: unknown): Error {
  if (error instanceof MalformedRequest || error instanceof SlowPattern) return error;
  return new MalformedRequest(`the body is not an OTLP export request in protobuf: ${(error as Error).message}`);
}

/** All spans of a request, whole. @throws MalformedRequest when it cannot be read */
export function decodeTraces(body: Uint8Array, encoding: OtlpEncoding): { spans: Span[]; refusals: Refusals } {
  const refusals = new Refusals();
  const { groups } = openRequest(body, encoding, 'traces', refusals);
  return { spans: eachRecord(groups, refusals, (record, { resource, scope }) => readSpan(record, resource, scope)), refusals };
}
