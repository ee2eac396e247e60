import { describe, expect, it } from 'vitest';
import { NO_IMPACT } from './caseContent.ts';
import { impactFigures, impactLine } from './impactWords.ts';

const CROWNS = { amountOf: 'crowns', visitsOf: '' };
const IMPACT = {
  people: 171,
  failed: 240,
  requests: 295,
  waitingNs: 12_180e9,
  amount: 31_400,
  amountLeast: 27_900,
  amountMost: 35_200,
};

describe('the impact in words', () => {
  it('says each figure with what belongs to it', () => {
    expect(impactLine(IMPACT, CROWNS)).toBe(
      '171 people · 240 of 295 requests failed · 3 h 23 min extra waiting · 31\u202f400 crowns lost (27\u202f900 to 35\u202f200)',
    );
  });

  it('leaves out what is not known, which is no zero', () => {
    expect(impactFigures(NO_IMPACT, CROWNS)).toEqual([]);
    expect(impactFigures({ ...NO_IMPACT, failed: 0, requests: 75 }, CROWNS)).toEqual([
      { what: 'requests failed', figure: '0', note: 'of 75' },
    ]);
  });

  it('of visits counts views', () => {
    const line = impactLine({ ...IMPACT, amount: null }, { amountOf: '', visitsOf: 'deck-app' });
    expect(line).toBe('171 people · 240 of 295 views went wrong · 3 h 23 min extra waiting');
  });

  it('in a line leaves out what is zero, too', () => {
    expect(impactLine({ ...IMPACT, failed: 0, waitingNs: 0, amount: null }, CROWNS)).toBe('171 people');
  });
});
