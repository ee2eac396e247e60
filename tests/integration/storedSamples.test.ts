import { afterAll, beforeAll, expect, it } from 'vitest';
import type { ContrastAnswer } from '../../src/api/contrast/contrast.ts';
import type { Span, TraceId } from '../../src/core/trace/span.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { randomFrom } from '../support/made/random.ts';
import { makeSpan } from '../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/*
 * A first answer over many hours: from the samples that are stored by the hour. Held against what was sent.
 */

const HOUR_NS = 3_600_000_000_000n;
const HOURS = 7;
const PER_HOUR = 2_000;
/** Seven hours before, then seven hours lit; all of them over. */
const FROM = ((BigInt(Date.now()) * 1_000_000n - BigInt(2 * HOURS + 2) * HOUR_NS) / HOUR_NS) * HOUR_NS;
const LIT = FROM + BigInt(HOURS) * HOUR_NS;
const TO = LIT + BigInt(HOURS) * HOUR_NS;
const { below, oneOf } = randomFrom(77);

let made = 0;
/** One of so many comes by a channel of its own. */
const RARE = 700;
function requestIn(hour: number, ms?: number): Span {
  const isLit = hour >= HOURS;
  const kind = oneOf(['coach', 'car', 'van', 'foot']);
  const took = ms ?? (isLit && kind === 'coach' ? 1_900 + below(200) : 20 + below(100));
  const start = FROM + BigInt(hour) * HOUR_NS + BigInt(below(3_600_000)) * 1_000_000n;
  const span = makeSpan({
    id: 0,
    from: 0,
    to: 0,
    name: 'POST /holds',
    service: 'holds',
    kind: 'server',
    failed: kind === 'van' && below(20) === 0,
    attributes: { 'ferry.vehicle_class': kind, 'ferry.channel': made % RARE === 0 ? 'desk' : oneOf(['web', 'phone', 'kiosk']) },
  });
  return {
    ...span,
    traceId: (++made).toString(16).padStart(32, '0') as TraceId,
    resource: { 'service.name': 'holds' },
    start,
    end: start + BigInt(took) * 1_000_000n,
  };
}

const sent = Array.from({ length: 2 * HOURS * PER_HOUR }, (_, at) => requestIn(Math.floor(at / PER_HOUR)));
const fine = sent.filter(({ status }) => status !== 'error');
const isLit = ({ start }: Span) => start >= LIT;
const seconds = ({ start, end }: Span) => Number(end - start) / 1e9;
const mean = (of: readonly Span[]) => of.reduce((sum, it) => sum + seconds(it), 0) / of.length;

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  for (let at = 0; at < sent.length; at += 2_000) await sendSpans(dusk.url, sent.slice(at, at + 2_000));
});
afterAll(() => dusk?.stop());

const iso = (ns: bigint) => new Date(Number(ns / 1_000_000n)).toISOString();
const contrast = (more: string) =>
  getJson(
    dusk.url,
    `/api/contrast?from=${iso(LIT)}&to=${iso(TO)}&before=${encodeURIComponent(`${iso(FROM)}/${iso(LIT)}`)}&${more}`,
  ) as Promise<ContrastAnswer>;
const valuesOf = ({ facets }: ContrastAnswer['rows'][number]) => facets.flatMap(({ values }) => values);
/** As many as the samples of all hours have, of those that went well: all that failed are in them. */
const MOST_SAMPLED = 2 * HOURS * 600;

it('has the cause first, the sums of all requests, and ranges that hold the truth', { timeout: 120_000 }, async () => {
  const found = await until(
    () => contrast('how=before&outcome=duration&quick=yes'),
    ({ read }) => read <= MOST_SAMPLED,
    90,
  );
  expect(found.read).toBeGreaterThan(MOST_SAMPLED / 2);
  // Each stratum of an hour stands for all of its requests.
  expect(found.of).toBe(fine.length);
  expect(found.a.requests).toBeCloseTo(fine.filter(isLit).length, 3);
  const difference = mean(fine.filter(isLit)) - mean(fine.filter((it) => !isLit(it)));
  expect(found.toExplainRange[0] / 1e9).toBeLessThan(difference);
  expect(found.toExplainRange[1] / 1e9).toBeGreaterThan(difference);
  expect(found.toExplain / 1e9 / difference).toBeCloseTo(1, 1);
  expect(valuesOf(found.rows[0])).toEqual(['coach']);

  const slow = await contrast('how=slow&over=1000000000&quick=yes');
  const own = fine.filter((it) => isLit(it) && seconds(it) >= 1).length;
  expect(slow.a.requests / own).toBeCloseTo(1, 1);
  expect(valuesOf(slow.rows[0])).toEqual(['coach']);
  expect(slow.rows[0].requests.b).toBe(0);
  // The whole is of the requests themselves.
  const whole = await contrast('how=slow&over=1000000000');
  expect([whole.read, whole.a.requests]).toEqual([whole.of, own]);
});

it('of what is rare is of all of it', async () => {
  const rare = fine.filter(({ attributes }) => attributes['ferry.channel'] === 'desk').length;
  expect(rare).toBeGreaterThan(20);
  const found = await contrast('how=before&outcome=duration&quick=yes&where=ferry.channel%20is%20desk');
  expect([found.of, found.read]).toEqual([rare, rare]);
});

it('counts at once what comes later into an hour that has a sample', { timeout: 60_000 }, async () => {
  const late = Array.from({ length: 1_500 }, () => requestIn(HOURS + 2, 3_000));
  await sendSpans(dusk.url, late);
  const all = fine.length + late.filter(({ status }) => status !== 'error').length;
  // Asked otherwise than before: an answer is good for a while.
  const found = await contrast('how=before&outcome=duration&quick=yes&swap=yes');
  expect(found.of).toBe(all);
  expect(found.read).toBeLessThan(all / 2);
});
