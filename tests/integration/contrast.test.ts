import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ContrastAnswer } from '../../src/api/contrast/contrast.ts';
import type { ContrastMoved } from '../../src/api/contrast/moved.ts';
import type { ContrastWhere } from '../../src/api/contrast/where.ts';
import type { Span, TraceId } from '../../src/core/trace/span.ts';
import { type Installation, install } from '../support/installation.ts';
import { randomFrom } from '../support/made/random.ts';
import { makeSpan } from '../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/*
 * Contrast over the interface for programs, of more requests than a first answer reads: every figure that is exact is counted a second time from
 * what was sent.
 */

const REQUESTS = 30_000;
const MINUTE_NS = 60_000_000_000n;
const FROM = BigInt(Math.floor(Date.now() / 60_000) - 90) * MINUTE_NS;
/** Half an hour before, half an hour lit. */
const LIT = FROM + 40n * MINUTE_NS;
const TO = LIT + 30n * MINUTE_NS;
const { below, oneOf } = randomFrom(41);

interface Made {
  readonly span: Span;
  readonly isLit: boolean;
  readonly isSlow: boolean;
}

/** Coaches take two seconds when lit, the half of all requests are coaches then; the others take 20 to 120 ms. */
function requestOf(number: number): Made {
  const isLit = number % 5 !== 0;
  const kind = below(2) === 0 ? 'coach' : oneOf(['car', 'van', 'foot']);
  const isSlow = isLit && kind === 'coach';
  const ms = isSlow ? 1_900 + below(200) : 20 + below(100);
  const start = (isLit ? LIT : FROM) + BigInt(below(29 * 60_000)) * 1_000_000n;
  const span = makeSpan({
    id: 0,
    from: 0,
    to: 0,
    name: 'POST /holds',
    service: 'holds',
    kind: 'server',
    failed: isLit && kind === 'van' && below(2) === 0,
    attributes: { 'ferry.vehicle_class': kind, 'ferry.channel': oneOf(['web', 'phone', 'kiosk']) },
  });
  return {
    span: {
      ...span,
      traceId: (number + 1).toString(16).padStart(32, '0') as TraceId,
      resource: { 'service.name': 'holds', 'service.version': '5.1', 'service.instance.id': `holds-${below(3)}` },
      start,
      end: start + BigInt(ms) * 1_000_000n,
    },
    isLit,
    isSlow,
  };
}

const made = Array.from({ length: REQUESTS }, (_, number) => requestOf(number));
const fine = made.filter(({ span }) => span.status !== 'error');
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
const query = (more: string) =>
  `from=${iso(LIT)}&to=${iso(TO)}&before=${encodeURIComponent(`${iso(FROM)}/${iso(FROM + 30n * MINUTE_NS)}`)}&${more}`;
const contrast = (more: string) => getJson(dusk.url, `/api/contrast?${query(more)}`) as Promise<ContrastAnswer>;
const where = (more: string) => getJson(dusk.url, `/api/contrast/where?${query(more)}`) as Promise<ContrastWhere>;
const valuesOf = ({ facets }: ContrastAnswer['rows'][number]) => facets.flatMap(({ values }) => values);

describe('slow against the rest', () => {
  const lit = fine.filter(({ isLit }) => isLit);
  const slow = lit.filter(({ isSlow }) => isSlow).length;

  it('has the requests that were sent on each side, and the cause first', async () => {
    const found = await contrast('how=slow&over=1000000000');
    expect(found.read).toBe(found.of);
    expect(found.a.requests).toBe(slow);
    expect(found.b.requests).toBe(lit.length - slow);
    expect(valuesOf(found.rows[0])).toEqual(['coach']);
    expect(found.rows[0].requests).toEqual({ a: slow, b: 0 });
  });

  it('from a sample has as many on each side, all of A kept out of B, and says that it is a sample', async () => {
    const found = await contrast('how=slow&over=1000000000&quick=yes');
    expect(found.of).toBe(lit.length);
    expect(found.read).toBeLessThan(found.of);
    expect(found.a.requests).toBeCloseTo(slow, 6);
    expect(found.b.requests).toBeCloseTo(lit.length - slow, 6);
    expect(valuesOf(found.rows[0])).toEqual(['coach']);
    // No slow one is in B: not one that was left out of the sample either.
    expect(found.rows[0].requests.b).toBe(0);
  });

  it('by another bound has the others, and changes places', async () => {
    const over = lit.filter(({ span }) => span.end - span.start >= 2_000_000_000n).length;
    const found = await contrast('how=slow&over=2000000000');
    expect(found.a.requests).toBe(over);
    const swapped = await contrast('how=slow&over=2000000000&swap=yes');
    expect([swapped.a.requests, swapped.b.requests]).toEqual([lit.length - over, over]);
  });
});

describe('lit against before', () => {
  it('differs as the means that were sent do, in a sample within its range', async () => {
    const mean = (isLit: boolean) => {
      const own = fine.filter((it) => it.isLit === isLit).map(({ span }) => Number(span.end - span.start));
      return own.reduce((sum, it) => sum + it, 0) / own.length;
    };
    const found = await contrast('how=before&outcome=duration');
    expect(found.difference / (mean(true) - mean(false))).toBeCloseTo(1, 9);
    expect(valuesOf(found.rows[0])).toEqual(['coach']);
    const quick = await contrast('how=before&outcome=duration&quick=yes');
    expect(quick.toExplainRange[0]).toBeLessThan(mean(true) - mean(false));
    expect(quick.toExplainRange[1]).toBeGreaterThan(mean(true) - mean(false));
  });

  it('by failures finds the vans, and that no coach fails', async () => {
    const found = await contrast('how=before&outcome=failures');
    expect(valuesOf(found.rows[0])).toEqual(['van']);
    const failing = made.filter(({ span }) => span.status === 'error').length;
    expect(found.a.mean! * found.a.requests).toBeCloseTo(failing, 6);
    const { failing: ways } = await where('how=before&outcome=failures');
    expect(ways.reduce((sum, { a }) => sum + a, 0)).toBe(failing);
  });
});

it('says how far it is while it is worked out, and nothing of what nobody asked', async () => {
  const name = '0123456789abcdef';
  const asked = fetch(`${dusk.url}/api/contrast?${query('how=slow&over=77000000')}`, { headers: { 'lantern-question': name } });
  const told: (number | null)[] = [];
  let isAnswered = false;
  const watching = (async () => {
    while (!isAnswered) {
      const { done } = await getJson(dusk.url, `/api/progress?questions=${name},ffffffffffff`);
      expect(done[1]).toBeNull();
      told.push(done[0]);
    }
  })();
  expect((await asked).status).toBe(200);
  isAnswered = true;
  await watching;
  const known = told.filter((it) => it !== null);
  expect(known.length).toBeGreaterThan(0);
  expect(known.every((it, at) => it > 0 && it <= 1 && (at === 0 || it >= known[at - 1]))).toBe(true);
  expect((await getJson(dusk.url, `/api/progress?questions=${name}`)).done).toEqual([null]);
});

it('a part of the lit window is all that A is taken from, and is never more than that window', async () => {
  const [from, to] = [LIT + 5n * MINUTE_NS, LIT + 8n * MINUTE_NS];
  const within = fine.filter(({ span }) => span.start >= from && span.start < to).length;
  const part = await contrast(`how=sets&aFrom=${iso(from)}&aTo=${iso(to)}&outcome=duration`);
  expect(part.a.requests).toBe(within);
  expect(part.a.requests + part.b.requests).toBe(fine.filter(({ isLit }) => isLit).length);
  const all = await contrast(
    'how=sets&aFrom=1971-01-01T00:00:00Z&aTo=2200-01-01T00:00:00Z&a=ferry.channel%20is%20web&outcome=duration',
  );
  expect(all.a.requests).toBe(fine.filter(({ isLit, span }) => isLit && span.attributes['ferry.channel'] === 'web').length);
  const outside = await fetch(`${dusk.url}/api/contrast?${query('aFrom=1971-01-01T00:00:00Z&aTo=1972-01-01T00:00:00Z')}`);
  expect(outside.status).toBe(400);
  expect((await outside.json()).error).toContain('outside the lit window');
});

it('what is asked about more names than can be looked at is refused; one that nobody knows has nothing to tell', async () => {
  const moved = (of: string) => fetch(`${dusk.url}/api/contrast/moved?${query(`of=${of}`)}`);
  expect((await moved(Array.from({ length: 13 }, (_, at) => `s${at}`).join())).status).toBe(400);
  expect((await (await moved('nobody')).json()) as ContrastMoved).toEqual({ measures: [], shapes: [], changes: [] });
});
