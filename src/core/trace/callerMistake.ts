import type { Attributes } from './span.ts';

/** gRPC's codes that say the request itself was wrong: cancelled, invalid, not found, exists already, not allowed, out of range, unknown caller. */
const GRPC_MISTAKES: ReadonlySet<number> = new Set([1, 3, 5, 6, 7, 9, 11, 16]);

/** Whether what a span with these attributes was answered blames its caller: a 4xx, but for 408 (took too long) and 429 (too many). */
export function isCallerMistake(attributes: Attributes): boolean {
  const code = Number(attributes['http.response.status_code'] ?? attributes['http.status_code']);
  if (code >= 400) return code < 500 && code !== 408 && code !== 429;
  const grpc = attributes['rpc.grpc.status_code'];
  return grpc !== undefined && GRPC_MISTAKES.has(Number(grpc));
}

/** All attributes that the function above reads. */
export const ANSWER_KEYS = ['http.response.status_code', 'http.status_code', 'rpc.grpc.status_code'] as const;
