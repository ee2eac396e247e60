import { describe, expect, it } from 'vitest';
import { makeSpans, type Sketch } from '../../../../tests/support/made/traceMaker.ts';
import { assemble } from '../assemble.ts';
import { timeKind } from './timeKind.ts';

/** The kind of a span's own time, and whose it is; further spans lie below it. */
function kindOf(sketch: Omit<Sketch, 'id' | 'from' | 'to'>, ...below: Omit<Sketch, 'id' | 'from' | 'to' | 'parent'>[]) {
  const trace = assemble(
    makeSpans(
      { id: 0, from: 0, to: 10, service: 'holds', ...sketch },
      ...below.map((it, at) => ({ id: at + 1, parent: 0, from: 1, to: 9, ...it })),
    ),
  )!;
  const { kind, party } = timeKind(trace, 0);
  return `${kind} ${party}`;
}

describe('the time of a span itself', () => {
  it('is its service’s own code, whatever it handles', () => {
    expect(kindOf({ kind: 'server' })).toBe('own holds');
    expect(kindOf({ kind: 'internal' })).toBe('own holds');
    expect(kindOf({ kind: 'consumer' })).toBe('own holds');
  });

  it.each(['acquire connection', 'pg-pool.connect', 'HikariDataSource.getConnection', 'sql.connector.connect'])(
    'is a wait for a connection when it is called %s',
    (name) => {
      expect(kindOf({ name, kind: 'client', attributes: { 'db.system.name': 'postgresql' } })).toBe('pool holds');
    },
  );

  it('is a wait for a connection when it says so', () => {
    expect(kindOf({ name: 'anything', attributes: { 'lantern.wait': 'pool' } })).toBe('pool holds');
    expect(kindOf({ name: 'getConnection of somebody' })).toBe('own holds');
  });

  it('of a call is the database’s or the peer’s, as long as that one tells nothing itself', () => {
    const attributes = { 'db.system.name': 'postgresql', 'server.address': 'sailing-db' };
    expect(kindOf({ kind: 'client', attributes })).toBe('db sailing-db');
    expect(kindOf({ kind: 'client', attributes: { 'server.address': 'met-relay.example' } })).toBe('remote met-relay.example');
    expect(kindOf({ kind: 'client' })).toBe('remote unknown');
    // What is below but no server is the caller's own library.
    expect(kindOf({ kind: 'client', attributes }, { kind: 'internal' })).toBe('db sailing-db');
  });

  it('of a call whose callee tells is the way there and back', () => {
    expect(kindOf({ kind: 'client', attributes: { 'server.address': 'berths' } }, { kind: 'server', service: 'berths' })).toBe(
      'gap holds',
    );
  });
});
