import { describe, expect, it } from 'vitest';
import { countOf, type ViewedFigures, worstBy } from './pageViews.ts';
import { SIGNS } from './struggle.ts';

const figures = (views: number, errors: number, struggles = 0): ViewedFigures => ({
  views,
  errors,
  signs: Object.fromEntries(SIGNS.map((sign, at) => [sign, at === 0 ? struggles : 0])) as ViewedFigures['signs'],
});
const page = (name: string, lit: ViewedFigures, before: ViewedFigures, extraMs = 0) => ({ name, lit, before, extraMs });
const names = (pages: readonly { readonly name: string }[]) => pages.map(({ name }) => name);

describe('pages', () => {
  const booking = page('/booking', figures(1_000, 40, 3), figures(1_000, 38, 1), 9_000);
  const pass = page('/pass', figures(100, 12, 0), figures(100, 0, 0), 100);
  const crew = page('/crew', figures(50, 0, 30), figures(50, 0, 2), 0);
  const all = [crew, booking, pass];

  it('stand by what was waited longer, by errors that are more than usual, by signs of struggle', () => {
    expect(names(worstBy('waiting', all))).toEqual(['/booking', '/pass', '/crew']);
    expect(names(worstBy('errors', all))).toEqual(['/pass', '/booking', '/crew']);
    expect(names(worstBy('struggle', all))).toEqual(['/crew', '/booking', '/pass']);
  });

  it('that got no worse stand by how much there is, and as usual is what the same share of views has', () => {
    const busy = page('/busy', figures(2_000, 80), figures(1_000, 40));
    expect(names(worstBy('errors', [crew, busy, pass]))).toEqual(['/pass', '/busy', '/crew']);
    expect(countOf('errors', busy.lit)).toBe(80);
  });

  it('that were not there before are worse by all that they have', () => {
    const fresh = page('/fresh', figures(10, 9), figures(0, 0));
    expect(names(worstBy('errors', [booking, fresh]))).toEqual(['/fresh', '/booking']);
  });
});
