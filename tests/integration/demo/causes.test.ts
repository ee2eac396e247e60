import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ContrastAnswer } from '../../../src/api/contrast/contrast.ts';
import type { Installation } from '../../support/installation.ts';
import {
  type CompanyHours,
  installWithHours,
  LIMITED_CALLER,
  LOST_INDEX,
  REFUSED_KEY,
  SLOW_LAYOUT,
} from '../../support/made/companyHours.ts';
import { getJson } from '../../support/sending.ts';

/*
 * Contrast over incidents of the demo as somebody would ask who knows no more than which entry is bad: the cause that was planted is the first row.
 */

let dusk: Installation;
beforeAll(async () => {
  dusk = await installWithHours(SLOW_LAYOUT, REFUSED_KEY, LOST_INDEX, LIMITED_CALLER);
}, 900_000);
afterAll(() => dusk?.stop());

const iso = (ms: number) => new Date(ms).toISOString();
const contrast = ({ from, begins, to }: CompanyHours, more: string): Promise<ContrastAnswer> =>
  getJson(
    dusk.url,
    `/api/contrast?from=${iso(begins + 300_000)}&to=${iso(to)}&before=${encodeURIComponent(`${iso(from)}/${iso(begins - 300_000)}`)}&${more}`,
  );
/** What the first row says, by field. */
const first = ({ rows }: ContrastAnswer) => Object.fromEntries(rows[0].facets.map((it) => [it.field, it]));

describe('1: berths 4.7.0, while fares 2.14.0 was rolled out, too', () => {
  it.each(['before', 'slow'])(
    'is coaches and freight, or the many slots they take, of 4.7.0 where that tells (%s)',
    async (how) => {
      const found = await contrast(SLOW_LAYOUT, `how=${how}&entry=${encodeURIComponent('POST /holds')}`);
      const { 'ferry.vehicle_class': kind, 'deck.slots': slots, 'service.version': version, ...others } = first(found);
      expect(others).toEqual({});
      if (kind) expect(kind.values).toEqual(['coach', 'freight']);
      else expect(slots.least).toBeGreaterThanOrEqual(40);
      // When all of berths has it, it cannot be told from the window.
      if (version) expect(version).toMatchObject({ service: 'berths', values: ['4.7.0'] });
      expect(found.rows[0].amount / found.toExplain).toBeGreaterThan(0.9);
    },
  );

  it('is not fares: its version is ruled out', async () => {
    const { ruledOut } = await contrast(SLOW_LAYOUT, `how=before&entry=${encodeURIComponent('POST /holds')}`);
    expect(ruledOut.filter(({ field, service }) => field === 'service.version' && service === 'fares')).toHaveLength(1);
  });
});

it('3: searches that fail are those of the outer routes, by the partner that refuses', async () => {
  const found = await contrast(REFUSED_KEY, `how=failed&entry=${encodeURIComponent('GET /sailings')}`);
  expect(first(found)['ferry.route'].values).toEqual(['fennick-saltern', 'little-auk-fennick', 'skerry-holm-saltern']);
  expect(found.rows[0].requests.a / found.a.requests).toBeGreaterThan(0.95);
});

it('7: searches that are slow are those of far dates', async () => {
  for (const how of ['before', 'slow']) {
    const found = await contrast(LOST_INDEX, `how=${how}&entry=${encodeURIComponent('GET /sailings')}`);
    const { least, most } = first(found)['search.days_ahead'];
    expect(most).toBeNull();
    expect(least).toBeGreaterThan(25);
    expect(least).toBeLessThanOrEqual(33);
  }
});

it('10: confirming fails at kiosks', async () => {
  const found = await contrast(LIMITED_CALLER, `how=failed&entry=${encodeURIComponent('POST /bookings/{ref}/confirm')}`);
  expect(first(found)).toMatchObject({ 'ferry.channel': { values: ['kiosk'] } });
  expect(found.rows[0].requests.a / found.a.requests).toBeGreaterThan(0.95);
});
