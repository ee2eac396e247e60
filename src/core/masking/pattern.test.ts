import { describe, expect, it } from 'vitest';
import { builtInPattern, type FitFinder, fitsStars, ownPattern } from './pattern.ts';

function all(find: FitFinder, text: string): string[] {
  const next = find(text);
  const found: string[] = [];
  for (let fit = next(0); fit; fit = next(Math.max(fit.end, fit.start + 1))) found.push(text.slice(fit.start, fit.end));
  return found;
}

describe('a pattern somebody wrote', () => {
  it.each([
    ['OR-\\d+', 'or-12, OR-7', ['or-12', 'OR-7']],
    ['(?<![\\w])x\\d', 'ax1 x2', ['x2']],
    ['ö+', 'Öö', ['Öö']],
    ['a|b', 'cab', ['a', 'b']],
    ['x*', 'ab', ['', '', '']],
  ])('finds what the built-in engine finds: %s', (pattern, text, expected) => {
    expect(all(ownPattern(pattern), text)).toEqual(expected);
    expect(all(builtInPattern(pattern), text)).toEqual(expected);
  });

  it('tells where the secret lies', () => {
    for (const make of [ownPattern, builtInPattern])
      expect(make('key=(?<secret>\\w+)')('a key=b1 c')(0)).toEqual({ start: 2, end: 8, secret: { start: 6, end: 8 } });
    expect(ownPattern('x(?<secret>y)?')('x')(0)).toEqual({ start: 0, end: 1 });
  });

  // The built-in engine needs 2^n steps for each of these.
  it.each(['(a+)+$', '(a|a)+$', '(a*)*b', '(x+x+)+y', '(.*)*=.*z'])('comes to its end with %s', (pattern) => {
    expect(all(ownPattern(pattern), `${'ax'.repeat(5_000)}!`).join('')).not.toContain('!');
  });

  it.each([
    ['(', 'missing'],
    ['(?=x)y', 'cannot be used'],
    ['(a)\\1', 'cannot be used'],
    ['\\p{L}{900}', 'steps'],
    ['(a{30}){30}', 'steps'],
    ['((a{90}){90}){90}', 'invalid repeat count'],
    ['x'.repeat(301), 'longer than 300'],
  ])('is refused when it is %s', (pattern, why) => expect(() => ownPattern(pattern)).toThrow(why));
});

it.each([
  ['*password*', 'DB.Password.old', true],
  ['*cookie', 'http.cookie', true],
  ['*cookie', 'cookies.count', false],
  ['a*a', 'a', false],
  ['a*a', 'aa', true],
  ['*a*b*a*', 'xaxbxax', true],
  ['*a*b*a*', 'xaxaxb', false],
  ['x*ab*b', 'xab', false],
  ['', '', true],
  ['*', '', true],
  ['**', 'any', true],
])('%s fits %s: %s', (line, text, fits) => expect(fitsStars(line)(text)).toBe(fits));

it('many stars take no longer than a few', () => {
  expect(fitsStars(`${'*a'.repeat(140)}*b`)('a'.repeat(100_000))).toBe(false);
});
