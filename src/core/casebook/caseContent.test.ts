import { describe, expect, it } from 'vitest';
import { countedVisits, EMPTY_CASE, figureOrder, impactOf, isWorkedOut, NO_IMPACT } from './caseContent.ts';

describe('what a case counts', () => {
  it.each([
    ['requests', true, '', true, ''],
    ['the visits of an application', false, 'deck-app', true, 'deck-app'],
    ['requests, chosen in place of visits', true, 'deck-app', true, ''],
    ['nothing', false, '', false, ''],
  ])('%s', (_, countsRequests, visitsOf, isCounted, app) => {
    expect(isWorkedOut({ countsRequests, visitsOf })).toBe(isCounted);
    expect(countedVisits({ countsRequests, visitsOf })).toBe(app);
  });

  it('is requests unless somebody says otherwise', () => {
    expect(isWorkedOut(EMPTY_CASE)).toBe(true);
    expect(countedVisits(EMPTY_CASE)).toBe('');
  });
});

describe('the impact of a case', () => {
  it('is what was worked out, but for what people set, zero too', () => {
    const worked = { ...NO_IMPACT, people: 40, failed: 3 };
    expect(impactOf({ impact: { people: 0 } }, worked)).toEqual({ ...worked, people: 0 });
    expect(impactOf({ impact: {} }, worked)).toEqual(worked);
  });
});

describe('the order of figures', () => {
  it('is that of their first mention: in the log, then for and against hypotheses', () => {
    const entry = (pins: string[]) => ({ id: '', at: 0, page: '', text: '', pins, by: '' });
    const hypothesis = (speaksFor: string[], against: string[]) => ({
      id: '',
      order: 1,
      text: '',
      standing: 'open' as const,
      reason: '',
      for: speaksFor,
      against,
    });
    expect(
      figureOrder({
        entries: [entry(['b']), entry(['a', 'b'])],
        hypotheses: [hypothesis(['c', 'a'], ['d']), hypothesis([], ['b', 'e'])],
      }),
    ).toEqual(['b', 'a', 'c', 'd', 'e']);
    expect(figureOrder({ entries: [], hypotheses: [] })).toEqual([]);
  });
});
