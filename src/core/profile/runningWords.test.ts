import { describe, expect, it } from 'vitest';
import { againstUsual, runningSentence } from './runningWords.ts';

const frame = { name: 'reach.manifests.BookingStore.change', line: 88 };
const place = (ages: readonly number[], more: Partial<Parameters<typeof runningSentence>[0][number]> = {}) => ({
  service: 'manifests',
  frame,
  wait: 'lock',
  requests: ages.map((ageMs) => ({ ageMs, operation: 'PUT /bookings/{ref}' })),
  ...more,
});

describe('what is running', () => {
  it('is nothing, one, both or all', () => {
    expect(runningSentence([], 0)).toBe('No request has been running for longer than 100 ms');
    expect(runningSentence([place([42_000])], 1)).toBe('One request runs, the oldest for 42.0 s in change:88 of manifests');
    expect(runningSentence([place([42_000, 9_000])], 2)).toBe('Both running requests stand on one line of manifests');
    expect(runningSentence([place([42_000, 9_000, 7_000])], 3)).toBe('All 3 running requests stand on one line of manifests');
  });

  it('is a share where others stand elsewhere, and the oldest where they are spread', () => {
    const other = place([50_000], { service: 'holds', frame: null, wait: 'http' });
    expect(runningSentence([place([9_000, 7_000]), other], 3)).toBe('2 of 3 running requests stand on one line of manifests');
    const spread = [place([9_000, 7_000]), ...Array.from({ length: 8 }, (_, at) => place([1_000 + at], { service: `s${at}` }))];
    expect(runningSentence([...spread, other], 11)).toBe('11 requests run, the oldest for 50.0 s in holds');
  });

  it('without a line of own code is told by what it waits for', () => {
    expect(runningSentence([place([9_000, 7_000], { frame: null })], 2)).toMatch(/^Both running requests are .+ in manifests$/);
  });
});

it('says how an age compares to what is usual only where that is known', () => {
  expect(againstUsual(5_000, null)).not.toMatch(/\d×/);
  expect(againstUsual(5_000, 50)).toContain('100');
});
