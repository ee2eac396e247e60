import { describe, expect, it } from 'vitest';
import { makeSpans, type Sketch } from '../../../../tests/support/made/traceMaker.ts';
import { assemble } from '../assemble.ts';
import { peerName } from '../peer.ts';
import { criticalPath } from './criticalPath.ts';
import { type DatabaseWaits, ledger } from './ledger.ts';

function ledgerOf(sketches: Sketch[], waits?: DatabaseWaits): string[] {
  const trace = assemble(makeSpans(...sketches))!;
  const lines = ledger(trace, criticalPath(trace), waits && (() => waits));
  return lines.map(({ party, kind, durationNs }) => `${party} ${kind} ${durationNs}`);
}

const statement = { 'db.system.name': 'postgresql', 'server.address': 'manifest-db' };

describe('ledger', () => {
  it('tells own code, the pool, statements, other calls and the way between services apart', () => {
    expect(
      ledgerOf([
        { id: 0, from: 0, to: 1000, service: 'gangway', kind: 'server' },
        { id: 1, parent: 0, from: 100, to: 600, service: 'gangway', kind: 'client' },
        { id: 2, parent: 1, from: 110, to: 590, service: 'manifests', kind: 'server' },
        { id: 3, parent: 2, from: 120, to: 300, service: 'manifests', attributes: { 'lantern.wait': 'pool' } },
        { id: 4, parent: 2, from: 300, to: 550, service: 'manifests', kind: 'client', attributes: statement },
        {
          id: 5,
          parent: 0,
          from: 700,
          to: 900,
          service: 'gangway',
          kind: 'client',
          attributes: { 'server.address': 'met-relay.example' },
        },
      ]),
    ).toEqual([
      'gangway own 300',
      'manifest-db db 250',
      'met-relay.example remote 200',
      'manifests pool 180',
      'manifests own 50',
      'gangway gap 20',
    ]);
  });

  it('parts a statement’s time into what its server spent on locks, on disk and on the rest, to the nanosecond', () => {
    expect(ledgerOf([{ id: 0, from: 0, to: 101, kind: 'client', attributes: statement }], { lock: 0.5, io: 0.25 })).toEqual([
      'manifest-db lock 50',
      'manifest-db db 26',
      'manifest-db io 25',
    ]);
  });

  it('has no lines for a request without length', () => {
    expect(ledgerOf([{ id: 0, from: 0, to: 0 }])).toEqual([]);
  });

  it('knows the names by which drivers call the wait for a connection', () => {
    for (const name of ['pg-pool.connect', 'sql.connector.connect', 'ReachDataSource.getConnection'])
      expect(ledgerOf([{ id: 0, from: 0, to: 5, name }])).toEqual(['holds pool 5']);
    expect(ledgerOf([{ id: 0, from: 0, to: 5, name: 'get connection later' }])).toEqual(['holds own 5']);
  });
});

describe('peerName', () => {
  const nameOf = (attributes: Sketch['attributes']) =>
    peerName(makeSpans({ id: 0, from: 0, to: 1, kind: 'client', attributes })[0].attributes);

  it('takes the name that says most', () => {
    expect(nameOf({ 'peer.service': 'post-hub', 'server.address': '10.0.0.7' })).toBe('post-hub');
    expect(nameOf(statement)).toBe('manifest-db');
    expect(nameOf({ 'db.system.name': 'postgresql', 'db.namespace': 'manifest' })).toBe('manifest');
    expect(nameOf({ 'db.system': 'postgresql' })).toBe('postgresql');
    expect(nameOf({ 'messaging.destination.name': 'notice-queue', 'server.address': 'broker' })).toBe('notice-queue');
    expect(nameOf({ 'server.address': 'met-relay.example' })).toBe('met-relay.example');
    expect(nameOf({})).toBe('unknown');
  });
});
