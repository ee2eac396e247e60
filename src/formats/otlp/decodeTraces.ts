import type { Attributes, InstrumentationScope, Span } from '../../core/trace/span.ts';
import type { OtlpEncoding } from './answers.ts';
import { readResource, readScope } from './attributes.ts';
import { checkMessage } from './check.ts';
import { readJsonRequest } from './fromJson.ts';
import { RESOURCE, SCOPE, type Signal } from './messages.ts';
import { aroundRecords, MalformedRequest, Refusals } from './refusal.ts';
import { type RecordGroup, readRequest, type TelemetryRequest } from './request.ts';
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

/** Reads each record with its resource and scope, and gives what `read` makes of those that it does not refuse. */
export function eachRecord<T>(
  groups: readonly RecordGroup[],
  refusals: Refusals,
  read: (record: Uint8Array, origin: Origin) => T,
): T[] {
  const results: T[] = [];
  visitRecords(groups, refusals, (record, origin) => {
    results.push(read(record, origin));
  });
  return results;
}

/**
 * Goes through the records of a request.
 *
 * @param visit takes a record with whose it is, or refuses it @returns how many were not refused
 * @throws MalformedRequest when the bytes of one are broken
 */
export function visitRecords(
  groups: readonly RecordGroup[],
  refusals: Refusals,
  visit: (record: Uint8Array, origin: Origin) => void,
): number {
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
    const origin = { group, resource, scope: readWhole(() => checkedScope(group.scope)) };
    readWhole(() => {
      for (const record of group.records) {
        try {
          visit(record, origin);
          taken++;
        } catch (error) {
          refusals.note(error);
        }
      }
    });
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
    if (error instanceof MalformedRequest) throw error;
    throw new MalformedRequest(`the body is not an OTLP export request in protobuf: ${(error as Error).message}`);
  }
}

/** All spans of a request, whole. @throws MalformedRequest when it cannot be read */
export function decodeTraces(body: Uint8Array, encoding: OtlpEncoding): { spans: Span[]; refusals: Refusals } {
  const refusals = new Refusals();
  const { groups } = openRequest(body, encoding, 'traces', refusals);
  return { spans: eachRecord(groups, refusals, (record, { resource, scope }) => readSpan(record, resource, scope)), refusals };
}
