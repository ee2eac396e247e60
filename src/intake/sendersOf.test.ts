import { expect, it } from 'vitest';
import { seenOne, sendersOf } from './sendersOf.ts';

const ns = (ms: number) => BigInt(Math.round(ms)) * 1_000_000n;

it('takes many records of a resource as one', () => {
  const resource = { 'service.name': 'holds' };
  const several = [
    { resource, records: 40, withTrace: 30, lastMs: 1_000 },
    { resource, records: 2, withTrace: 2, lastMs: 900 },
  ];
  expect(sendersOf('traces', several)).toMatchObject([{ records: 42, withTrace: 32 }]);
});

it('tells who sent what, once for each resource', () => {
  const holds = { 'service.name': 'holds', 'service.version': '4.7.0', 'service.instance.id': 'holds-2' };
  const bare = { 'host.name': 'vm-quay-1a', 'telemetry.sdk.language': 'go', 'telemetry.sdk.version': '1.9' };
  const now = Date.now();
  const senders = sendersOf('logs', [
    seenOne(holds, ns(now - 5_000), true),
    seenOne(bare, ns(now + 60_000), false),
    seenOne(holds, ns(now - 9_000), false),
  ]);
  expect(senders).toMatchObject([
    { signal: 'logs', service: 'holds', version: '4.7.0', sdk: '', instance: 'holds-2', records: 2, withTrace: 1 },
    { signal: 'logs', service: 'unknown_service', version: '', sdk: 'go 1.9', instance: 'vm-quay-1a', records: 1, withTrace: 0 },
  ]);
  // The last thing it spoke of, against the clock here.
  expect(senders.map(({ aheadMs }) => Math.round(aheadMs / 1000))).toEqual([-5, 60]);
  expect(senders.every(({ lastMs }) => lastMs >= now)).toBe(true);
});
