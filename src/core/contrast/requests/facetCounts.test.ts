import { describe, expect, it } from 'vitest';
import { KINDS, type MadeRequest, sourceOf } from '../../../../tests/support/made/plantedCauses.ts';
import { FacetCounts } from './facetCounts.ts';
import { isContrasted, isSaid } from './facetKeys.ts';

const KIND = KINDS['slower than before'];

async function countsOf(of: Readonly<Record<string, (at: number) => string[]>>, count = 400): Promise<FacetCounts> {
  const requests = Array.from(
    { length: count },
    (_, at): MadeRequest => ({
      isA: at % 2 === 0,
      durationNs: 1e8,
      failed: false,
      minute: 0,
      entry: 'GET /sailings',
      values: new Map(Object.entries(of).map(([key, values]) => [key, values(at)])),
    }),
  );
  const counts = new FacetCounts();
  await sourceOf(requests, KIND, 90).scan((block) => counts.add(block));
  return counts;
}

const fieldsOf = (counts: FacetCounts) => counts.slots().slots.map(({ of, type }) => `${type} ${of.facet.field}`);

describe('what is worth summing up', () => {
  it('is values of several requests, and numbers between bounds; not what names single requests', async () => {
    const counts = await countsOf({
      'ferry.route': (at) => [`route ${at % 4}`],
      'ferry.party_size': (at) => [String(1 + (at % 30))],
      'booking.ref': (at) => [`OR${at}`],
      'order.id': (at) => [String(100 + at)],
    });
    expect(fieldsOf(counts).sort()).toEqual(['numbers ferry.party_size', 'values ferry.route']);
    expect(counts.countOf(counts.facets.get('ferry.route')!, 'route 1')).toBe(100);
  });

  it('is users of five requests at least, however many there are', async () => {
    const counts = await countsOf({ 'enduser.id': (at) => [at < 5 ? 'guest-1' : `guest-${at}`] });
    const [{ of, ...slots }] = counts.slots().slots;
    expect(of.facet.field).toBe('enduser.id');
    expect(slots).toMatchObject({ type: 'values', slots: new Map([['guest-1', 0]]) });
  });

  it('knows whether a request has several values, of each service by itself', async () => {
    const counts = await countsOf({ 'http.route': () => ['/holds', '/prices'], 'ferry.route': (at) => [`route ${at % 2}`] });
    expect(counts.facets.get('http.route')!.several).toBe(true);
    expect(counts.facets.get('ferry.route')!.several).toBe(false);
    expect(counts.facets.get('http.route')!.has).toBe(400);
  });

  it('cuts numbers into parts of about the same size', async () => {
    const counts = await countsOf({ 'search.days_ahead': (at) => [String(at % 100)] }, 2_000);
    const [slots] = counts.slots().slots;
    if (slots.type !== 'numbers') throw new Error('numbers are expected');
    expect(slots.bounds.length).toBe(64);
    expect([...slots.bounds].sort((a, b) => a - b)).toEqual(slots.bounds);
  });
});

it.each([
  ['error.type', true, false],
  ['http.response.status_code', true, false],
  ['http.request.resend_count', true, false],
  ['service.version', false, false],
  ['telemetry.sdk.language', false, false],
  ['exception.message', false, false],
  ['ferry.route', false, true],
  ['http.route', false, true],
])('%s: says how it ended %s, may explain something %s', (field, said, contrasted) => {
  expect(isSaid(field)).toBe(said);
  expect(isContrasted(field)).toBe(contrasted);
});
