import { afterAll, beforeAll, expect, it } from 'vitest';
import { closeConnections } from '../../../src/store/database/connection.ts';
import { findPerson, removePerson } from '../../../src/store/retention/person.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { makeSpan } from '../../support/made/traceMaker.ts';
import { getJson, sendJson, sendSpans } from '../../support/sending.ts';

const ID = 'guest-4711';
const NOW = Date.now() - 120_000;
const NS = String(BigInt(NOW) * 1_000_000n);
let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  process.env.DATABASE_URL = dusk.cluster.url;
});
afterAll(async () => {
  await closeConnections();
  await dusk?.stop();
});

const span = (id: number, traceId: string, attributes: Record<string, string>) => ({
  ...makeSpan({ id, from: 0, to: 50_000_000, service: 'holds', kind: 'server' as const, name: 'POST /holds', attributes }),
  traceId: traceId.padStart(32, '0') as never,
  start: BigInt(NS),
  end: BigInt(NS) + 50_000_000n,
});

it('is found in every signal and taken out, and counts stay what they were', { timeout: 120_000 }, async () => {
  await sendSpans(dusk.url, [
    span(1, 'a1', { 'user.id': ID, note: `booked by ${ID}, at night` }),
    span(2, 'a2', { 'user.id': `${ID}0`, note: 'somebody else' }),
    span(3, 'a3', { 'user.id': 'guest-9' }),
  ]);
  const resource = { attributes: [{ key: 'service.name', value: { stringValue: 'holds' } }] };
  await sendJson(dusk.url, '/v1/logs', {
    resourceLogs: [
      {
        resource,
        scopeLogs: [{ logRecords: [{ timeUnixNano: NS, severityNumber: 9, body: { stringValue: `user ${ID} has no berth` } }] }],
      },
    ],
  });
  await sendJson(dusk.url, '/v1/metrics', {
    resourceMetrics: [
      {
        resource,
        scopeMetrics: [
          {
            metrics: [
              {
                name: 'berths.held',
                gauge: {
                  dataPoints: [{ timeUnixNano: NS, asInt: '3', attributes: [{ key: 'user.id', value: { stringValue: ID } }] }],
                },
              },
            ],
          },
        ],
      },
    ],
  });
  await sendJson(dusk.url, '/api/casebook', { by: 'Ines', title: `Complaint of ${ID}` });
  const from = new Date(NOW - 600_000).toISOString();
  const to = new Date(NOW + 600_000).toISOString();
  const matching = (id: string) =>
    getJson(dusk.url, `/api/traces?from=${from}&to=${to}&where=${encodeURIComponent(`user.id=${id}`)}`).then(
      ({ traces }: { traces: unknown[] }) => traces.length,
    );
  const ofUser = (id: string) =>
    getJson(dusk.url, `/api/traces?from=${from}&to=${to}&where=${encodeURIComponent(`user=${id}`)}`).then(
      ({ traces }: { traces: unknown[] }) => traces.length,
    );
  expect(await matching(ID)).toBe(1);
  expect(await ofUser(ID)).toBe(1);

  const found = await findPerson(ID);
  expect(found.signals).toEqual([
    { signal: 'traces', values: 2, blocks: 1 },
    { signal: 'logs', values: 1, blocks: 1 },
    { signal: 'metrics', values: 1, blocks: 1 },
    { signal: 'profiles', values: 0, blocks: 0 },
  ]);
  expect(found.tables.map(({ table }) => table)).toContain('casebook_case');

  await removePerson(ID);
  const after = await findPerson(ID);
  expect(after.signals.every(({ values }) => values === 0)).toBe(true);
  // What people wrote themselves is reported, and not changed.
  expect(after.tables.map(({ table }) => table)).toEqual(['casebook_case', 'casebook_version']);
  await until(
    () => matching(ID),
    (count) => count === 0,
    60,
  );
  expect(await ofUser(ID)).toBe(0);
  // The columns, too, from which contrast and groups are made.
  const groups = await getJson(dusk.url, `/api/traces/groups?from=${from}&to=${to}&by=user.id`);
  expect(JSON.stringify(groups)).not.toMatch(/guest-4711(?!0)/);
  // Another whose id begins alike, and everything that was measured, are as before.
  expect(await matching(`${ID}0`)).toBe(1);
  const { spans } = await getJson(dusk.url, `/api/traces/${'a1'.padStart(32, '0')}`);
  expect(spans).toHaveLength(1);
  expect(spans[0].attributes).toMatchObject({ 'user.id': '[masked: removed]', note: 'booked by [masked: removed], at night' });
  expect(spans[0].durationNs ?? Number(spans[0].end) - Number(spans[0].start)).toBeGreaterThan(0);
  expect((await getJson(dusk.url, '/api/health')).spans).toBe(3);
  const lines = await getJson(dusk.url, `/api/logs/lines?from=${from}&to=${to}`);
  expect(JSON.stringify(lines)).not.toMatch(/guest-4711(?!0)/);
});

it('is not looked for by what would fit too much', async () => {
  for (const id of ['', 'ab', ' guest', 'x'.repeat(300)]) await expect(findPerson(id)).rejects.toThrow('an id has');
});
