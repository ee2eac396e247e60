import { describe, expect, it } from 'vitest';
import { isClientError } from '../failures/clientError.ts';
import { failureWords } from '../failures/failureWords.ts';
import { attributeOf, keysOf } from './attributeNames.ts';
import { databaseSystem, isTransport, PEER_KEYS, peerName, protocolOf } from './peer.ts';
import type { Attributes, Span } from './span.ts';

describe('whom a span calls', () => {
  it.each<[Attributes, string, string]>([
    [{ 'peer.service': 'berths', 'server.address': '10.0.0.4' }, 'berths', ''],
    [
      { 'db.system.name': 'postgresql', 'server.address': 'manifest-db', 'db.namespace': 'manifest' },
      'manifest-db',
      'postgresql',
    ],
    // As it was sent before.
    [{ 'db.system': 'postgresql', 'db.name': 'manifest', 'net.peer.name': 'manifest-db' }, 'manifest-db', 'postgresql'],
    [{ 'db.system': 'redis', 'net.peer.ip': '10.0.0.9' }, '10.0.0.9', 'redis'],
    [{ 'http.method': 'GET', 'http.url': 'http://fares:8080/prices?x=1', 'net.peer.name': 'fares' }, 'fares', 'http'],
    [{ 'http.method': 'GET', 'http.url': 'http://fares:8080/prices' }, 'fares', 'http'],
    [{ 'messaging.system': 'kafka', 'messaging.destination': 'notice-queue' }, 'notice-queue', 'kafka'],
    // The machine itself is nobody: the database or the port tells.
    [
      { 'db.system': 'postgresql', 'db.name': 'manifest', 'net.peer.name': 'localhost', 'net.peer.port': 5432 },
      'manifest',
      'postgresql',
    ],
    [{ 'db.system': 'redis', 'net.peer.name': '127.0.0.1', 'net.peer.port': 6379 }, 'redis:6379', 'redis'],
    [{ 'http.request.method': 'GET', 'server.address': 'localhost', 'server.port': 8081 }, 'localhost:8081', 'http'],
    [{ 'http.method': 'GET', 'http.url': 'http://[::1]:9090/x' }, '[::1]:9090', 'http'],
    [{ 'http.method': 'GET', 'http.url': 'not a url' }, 'unknown', 'http'],
    [{}, 'unknown', ''],
  ])('%j is %s by "%s"', (attributes, name, protocol) => {
    expect(peerName(attributes)).toBe(name);
    expect(protocolOf(attributes)).toBe(protocol);
    // What is read of a span at intake is enough for it.
    const read = Object.fromEntries(Object.entries(attributes).filter(([key]) => PEER_KEYS.includes(key)));
    expect([peerName(read), protocolOf(read), databaseSystem(read)]).toEqual([name, protocol, databaseSystem(attributes)]);
  });

  it('is nobody for the steps on the way', () => {
    for (const name of ['dns.lookup', 'tcp.connect', 'tls.connect', 'ipc.connect']) expect(isTransport({ name })).toBe(true);
    for (const name of ['GET', 'connect', 'tcp.connect to fares', 'pg.connect']) expect(isTransport({ name })).toBe(false);
  });
});

it('an answer is read under its earlier name', () => {
  const span = { kind: 'server', attributes: { 'http.status_code': 404 }, events: [], statusMessage: '' } as unknown as Span;
  expect(isClientError(span)).toBe(true);
  expect(failureWords(span)).toBe('answers 404');
  // Today's name comes first.
  expect(attributeOf({ 'http.status_code': 200, 'http.response.status_code': 503 }, 'http.response.status_code')).toBe(503);
  expect(keysOf('db.namespace')).toEqual(['db.namespace', 'db.name']);
});
