import { afterAll, beforeAll, expect, it } from 'vitest';
import type { ServiceVersions } from '../../src/api/services/versions.ts';
import type { Span, TraceId } from '../../src/core/trace/span.ts';
import { type Installation, install } from '../support/installation.ts';
import { randomFrom } from '../support/made/random.ts';
import { makeSpan } from '../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/* Versions of a service over the interface for programs: 5.1 hands over to 5.2 in the middle, ten minutes side by side; 5.2 finds slower and counts as before. */

const MINUTE_NS = 60_000_000_000n;
const FROM = BigInt(Math.floor(Date.now() / 60_000) - 60) * MINUTE_NS;
const MINUTES = 40;
const { below } = randomFrom(7);

const made = Array.from({ length: 8_000 }, (_, number) => {
  const minute = number % MINUTES;
  const version = minute < 15 ? '5.1' : minute >= 25 ? '5.2' : below(2) === 0 ? '5.1' : '5.2';
  const name = below(2) === 0 ? 'GET /find' : 'GET /count';
  const usual = 40 + below(30);
  const ms = version === '5.2' && name === 'GET /find' ? 1.5 * usual : usual;
  const start = FROM + BigInt(minute) * MINUTE_NS + BigInt(below(50_000)) * 1_000_000n;
  const span: Span = {
    ...makeSpan({ id: 0, from: 0, to: 0, name, service: 'sailings', kind: 'server', failed: below(400) === 0 }),
    traceId: (number + 1).toString(16).padStart(32, '0') as TraceId,
    resource: { 'service.name': 'sailings', 'service.version': version },
    start,
    end: start + BigInt(Math.round(ms * 1e6)),
  };
  return { span, version, name, minute };
});

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  for (let from = 0; from < made.length; from += 2_000)
    await sendSpans(
      dusk.url,
      made.slice(from, from + 2_000).map(({ span }) => span),
    );
});
afterAll(() => dusk?.stop());

const iso = (ns: bigint) => new Date(Number(ns / 1_000_000n)).toISOString();
const versions = (more = '') =>
  getJson(
    dusk.url,
    `/api/services/sailings/versions?from=${iso(FROM)}&to=${iso(FROM + BigInt(MINUTES) * MINUTE_NS)}&before=just${more}`,
  ) as Promise<ServiceVersions>;
const count = (fits: (it: (typeof made)[number]) => boolean) => made.filter(fits).length;

it('each version has the calls it handled, minute by minute, as a recount says', async () => {
  const { versions: found, stepMs, requests, mixed } = await versions();
  expect(stepMs).toBe(60_000);
  expect([requests, mixed]).toEqual([made.length, 0]);
  expect(found.map(({ version }) => version)).toEqual(['5.1', '5.2']);
  for (const { version, calls, lit } of found) {
    expect(calls).toBe(count((it) => it.version === version));
    expect(lit).toEqual(
      Array.from({ length: MINUTES }, (_, minute) => count((it) => it.version === version && it.minute === minute)),
    );
  }
});

it('the operation that got slower is worse by so much; the other makes no difference', async () => {
  const { operations, older, newer, deployments } = await versions();
  expect([older, newer]).toEqual(['5.1', '5.2']);
  expect(deployments).toMatchObject([{ older: '5.1', newer: '5.2', worse: 1, same: 1 }]);
  const [find, counting] = operations;
  expect(find).toMatchObject({ operation: 'GET /find', verdict: 'worse', by: 'duration', basis: 'beside' });
  expect(find.times!.range[0]).toBeLessThan(1.5);
  expect(find.times!.range[1]).toBeGreaterThan(1.5);
  expect(counting).toMatchObject({ operation: 'GET /count', verdict: 'same' });
  // Side by side means the ten minutes in which both were at work.
  expect(find.held.newer).toBe(
    count(({ name, version, minute }) => name === 'GET /find' && version === '5.2' && minute >= 15 && minute < 25),
  );
  expect(find.newer.failed).toBe(
    count(({ name, version, span }) => name === 'GET /find' && version === '5.2' && span.status === 'error'),
  );
});

it('two versions the other way round turn the verdict round', async () => {
  const { operations } = await versions('&older=5.2&newer=5.1');
  expect(operations[0]).toMatchObject({ operation: 'GET /find', verdict: 'better', by: 'duration' });
});

it('conditions narrow what is held against each other', async () => {
  const { operations } = await versions(`&where=${encodeURIComponent('operation is "GET /count"')}`);
  expect(operations.map(({ operation }) => operation)).toEqual(['GET /count']);
});
