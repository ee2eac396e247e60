import { expect, it } from 'vitest';
import type { ContrastAnswer, ContrastRow } from '../../api/contrast/contrast.ts';
import { linesOf } from './rows.ts';

const row = (key: string, amount: number, more: Partial<ContrastRow> = {}) =>
  ({ key, facets: [], amount, sure: true, along: false, twins: [], ofWhole: null, ...more }) as unknown as ContrastRow;
const answer = (of: Partial<ContrastAnswer>) =>
  ({ rows: [], maybe: [], also: [], stack: [], ...of }) as unknown as ContrastAnswer;
const shown = (lines: ReturnType<typeof linesOf>) =>
  lines.map(({ key, state, ofWhole, ofLeft }) => [key, state, ofWhole?.amount, ofLeft?.amount]);

const whole = answer({ rows: [row('pair', 94), row('coach', 30, { along: true })], maybe: [row('phone', 2, { sure: false })] });

it('before anything is peeled off the rows stand as they were found', () => {
  expect(shown(linesOf(whole, undefined, []))).toEqual([
    ['pair', 'sure', 94, undefined],
    ['coach', 'along', 30, undefined],
    ['phone', 'maybe', 2, undefined],
  ]);
});

it('what is peeled off stands first, then what explains what is left, then the others with what they still explain', () => {
  const left = answer({
    rows: [row('crew', 4, { ofWhole: row('crew', 1.5) as never })],
    also: [{ key: 'coach', amount: 0.1 } as never],
    stack: [{ key: 'pair', amount: 94 } as never],
  });
  expect(shown(linesOf(whole, left, ['pair']))).toEqual([
    ['pair', 'peeled', 94, undefined],
    ['crew', 'sure', 1.5, 4],
    ['coach', 'maybe', 30, 0.1],
    ['phone', 'maybe', 2, undefined],
  ]);
});

it('what was peeled off and is no row of the whole is known from its layer', () => {
  const left = answer({ stack: [{ key: 'crew', amount: 5 } as never] });
  expect(shown(linesOf(answer({}), left, ['crew']))).toEqual([['crew', 'peeled', 5, undefined]]);
});
