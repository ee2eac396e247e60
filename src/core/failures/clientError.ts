import { attributeOf, keysOf } from '../trace/attributeNames.ts';
import type { Span } from '../trace/span.ts';

/** gRPC's codes that say the request itself was wrong: cancelled, invalid, not found, exists already, failed precondition, out of range. */
const GRPC_CLIENT_ERRORS: ReadonlySet<number> = new Set([1, 3, 5, 6, 9, 11]);
/** gRPC's codes that say the caller may not: not allowed, not known. */
const GRPC_REFUSALS: ReadonlySet<number> = new Set([7, 16]);
/** gRPC's codes that say the callee could not: too late, too many, inner error, not available, data lost. */
const GRPC_UNAVAILABLE: ReadonlySet<number> = new Set([4, 8, 13, 14, 15]);
/** HTTP's codes of the same sense: not known, not allowed, not known to the proxy. */
const REFUSALS: ReadonlySet<number> = new Set([401, 403, 407]);
/** It took too long; there were too many. */
const SERVER_SIDE_4XX: ReadonlySet<number> = new Set([408, 429]);

/**
 * Whether what a span was answered blames its caller: a 4xx, but for 408 and 429. To a service that calls another, a refusal (401, 403,
 * 407) is none either: the same calls went well as long as both sides held the same key, and from here it cannot be seen which side has
 * changed its own.
 */
export function isClientError({ kind, attributes }: Pick<Span, 'kind' | 'attributes'>): boolean {
  const refusals = kind !== 'client';
  const code = Number(attributeOf(attributes, 'http.response.status_code'));
  if (code >= 400) return code < 500 && !SERVER_SIDE_4XX.has(code) && (refusals || !REFUSALS.has(code));
  const grpc = Number(attributes['rpc.grpc.status_code'] ?? 0);
  return GRPC_CLIENT_ERRORS.has(grpc) || (refusals && GRPC_REFUSALS.has(grpc));
}

/** Whether a call was answered that the one called could not or would not do it: 5xx, 408, 429; unavailable, too many, too late. */
export function isServerRefusal({ attributes }: Pick<Span, 'attributes'>): boolean {
  const code = Number(attributeOf(attributes, 'http.response.status_code'));
  if (code >= 400) return code >= 500 || SERVER_SIDE_4XX.has(code);
  return GRPC_UNAVAILABLE.has(Number(attributes['rpc.grpc.status_code'] ?? 0));
}

/** All attributes that the function above reads. */
export const ANSWER_KEYS = keysOf('http.response.status_code', 'rpc.grpc.status_code');
