import { describe, expect, it } from 'vitest';
import type { SpanKind } from '../trace/span.ts';
import { ANSWER_KEYS, isClientError, isServerRefusal } from './clientError.ts';

const http = (code: number, kind: SpanKind = 'server') => ({ kind, attributes: { 'http.response.status_code': code } });
const grpc = (code: number, kind: SpanKind = 'server') => ({ kind, attributes: { 'rpc.grpc.status_code': code } });

describe('an answer that blames its caller', () => {
  it.each([400, 404, 409, 410, 422])('is %i, at either end', (code) => {
    expect([isClientError(http(code)), isClientError(http(code, 'client'))]).toEqual([true, true]);
  });

  it.each([200, 302, 408, 429, 500, 503])('is not %i', (code) => {
    expect([isClientError(http(code)), isClientError(http(code, 'client'))]).toEqual([false, false]);
  });

  it.each([401, 403, 407])('is %i to a visitor, and not between services, of which either may have changed its key', (code) => {
    expect([isClientError(http(code)), isClientError(http(code, 'client'))]).toEqual([true, false]);
  });

  it('is told by gRPC’s codes likewise', () => {
    expect([1, 3, 5, 6, 9, 11].every((code) => isClientError(grpc(code)) && isClientError(grpc(code, 'client')))).toBe(true);
    expect([7, 16].map((code) => [isClientError(grpc(code)), isClientError(grpc(code, 'client'))])).toEqual([
      [true, false],
      [true, false],
    ]);
    expect([0, 2, 4, 8, 10, 12, 13, 14, 15].some((code) => isClientError(grpc(code)))).toBe(false);
  });

  it('is read from the former name too, and is none without a code', () => {
    expect(isClientError({ kind: 'server', attributes: { 'http.status_code': 404 } })).toBe(true);
    expect(isClientError({ kind: 'server', attributes: {} })).toBe(false);
  });
});

describe('an answer that turns away', () => {
  it('is one by which the callee could not, and never one that blames the caller', () => {
    for (let code = 100; code < 600; code++) {
      const isTurned = isServerRefusal(http(code));
      expect(isTurned).toBe(code >= 500 || code === 408 || code === 429);
      if (isTurned) expect(isClientError(http(code))).toBe(false);
    }
    expect([4, 8, 13, 14, 15].every((code) => isServerRefusal(grpc(code)) && !isClientError(grpc(code)))).toBe(true);
    expect(isServerRefusal(grpc(0))).toBe(false);
  });
});

it('is read from attributes that are listed', () => {
  expect([...ANSWER_KEYS]).toEqual(['http.response.status_code', 'http.status_code', 'rpc.grpc.status_code']);
});
