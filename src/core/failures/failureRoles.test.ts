import { describe, expect, it } from 'vitest';
import { makeSpans, type Sketch } from '../../../tests/support/made/traceMaker.ts';
import { assemble } from '../trace/assemble.ts';
import { failureRoles, retriedNodes } from './failureRoles.ts';

function rolesOf(...sketches: Sketch[]): string[] {
  const trace = assemble(makeSpans(...sketches))!;
  return failureRoles(trace).map(
    (role, node) => `${trace.nodes[node].span.name}: ${role ? `${role.role} ${role.party}` : 'fine'}`,
  );
}

const partner = (status: number): Sketch => ({
  id: 1,
  parent: 0,
  from: 10,
  to: 90,
  service: 'tidewatch',
  kind: 'client',
  failed: true,
  attributes: { 'server.address': 'met-relay.example', 'http.response.status_code': status },
});

describe('failureRoles', () => {
  it('puts the origin where nothing below fails; what is above passes it on', () => {
    expect(
      rolesOf(
        { id: 0, from: 0, to: 100, service: 'gangway', failed: true },
        { id: 1, parent: 0, from: 10, to: 90, service: 'holds', failed: true },
        { id: 2, parent: 1, from: 20, to: 80, service: 'manifests', failed: true },
        { id: 3, parent: 1, from: 80, to: 85, service: 'holds' },
      ),
    ).toEqual(['work 0: passes-on gangway', 'work 1: passes-on holds', 'work 2: origin manifests', 'work 3: fine']);
  });

  it('sees through a span that hides the failure below it', () => {
    expect(
      rolesOf(
        { id: 0, from: 0, to: 100, service: 'gangway', failed: true },
        { id: 1, parent: 0, from: 10, to: 90, service: 'holds' },
        { id: 2, parent: 1, from: 20, to: 80, service: 'berths', failed: true },
      ),
    ).toEqual(['work 0: passes-on gangway', 'work 1: fine', 'work 2: origin berths']);
  });

  it('blames whom a call without a server side went to', () => {
    expect(rolesOf({ id: 0, from: 0, to: 100, failed: true }, partner(503))[1]).toBe('work 1: origin met-relay.example');
    expect(rolesOf({ id: 0, from: 0, to: 100, failed: true }, partner(408))[1]).toBe('work 1: origin met-relay.example');
    expect(rolesOf({ id: 0, from: 0, to: 100, failed: true }, partner(429))[1]).toBe('work 1: origin met-relay.example');
  });

  it('blames the caller for a client error', () => {
    expect(rolesOf({ id: 0, from: 0, to: 100, failed: true }, partner(404))[1]).toBe('work 1: origin tidewatch');
  });

  it('does not follow a failure through a queue', () => {
    expect(
      rolesOf(
        { id: 0, from: 0, to: 100, kind: 'producer', failed: true },
        { id: 1, parent: 0, from: 200, to: 300, kind: 'consumer', failed: true, service: 'notices' },
      ),
    ).toEqual(['work 0: origin holds', 'work 1: origin notices']);
  });
});

describe('retriedNodes', () => {
  const attempt = (id: number, failed: boolean, name = 'INSERT reservation'): Sketch => ({
    id,
    parent: 0,
    from: 10 * id,
    to: 10 * id + 5,
    name,
    failed,
  });

  it('counts attempts that a later like one made good', () => {
    const trace = assemble(makeSpans({ id: 0, from: 0, to: 100 }, attempt(1, true), attempt(2, true), attempt(3, false)))!;
    expect(retriedNodes(trace)).toEqual([1, 2]);
  });

  it('does not count one that nothing like it made good', () => {
    const trace = assemble(
      makeSpans({ id: 0, from: 0, to: 100 }, attempt(1, false), attempt(2, true), attempt(3, false, 'SELECT manifest')),
    )!;
    expect(retriedNodes(trace)).toEqual([]);
  });
});
