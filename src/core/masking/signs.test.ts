import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Sign, signFinder } from './signs.ts';

const bytesOf = (text: string) => new TextEncoder().encode(text);
const sees = (signs: readonly Sign[], text: string) => signFinder(signs)(bytesOf(text));
const word = fc.stringMatching(/^[a-z]{1,9}$/);
/** Text around a sign, in which there is none itself. */
const around = fc.stringMatching(/^[ ,;a-z]{0,30}$/);

describe('a look for signs never misses one', () => {
  it('of a word in any case, wherever it stands', () => {
    fc.assert(
      fc.property(word, around, around, fc.boolean(), (text, before, after, loud) => {
        const written = loud ? text.toUpperCase() : text;
        expect(sees([{ kind: 'literal', text }], before + written + after)).toBe(true);
      }),
    );
  });

  it('of a mail address', () => {
    const local = fc.stringMatching(/^[a-zA-Z0-9._+-]{0,8}[a-zA-Z0-9]$/);
    const host = fc.stringMatching(/^[a-zA-Z0-9-]{1,10}\.[a-z]{2,5}$/);
    fc.assert(
      fc.property(local, host, around, around, (name, at, before, after) => {
        expect(sees([{ kind: 'mail' }], `${before}${name}@${at}${after}`)).toBe(true);
      }),
    );
  });

  it('of fourteen digits or more, with blanks and dashes among them', () => {
    const digits = fc.array(fc.tuple(fc.stringMatching(/^[0-9]$/), fc.constantFrom('', '', ' ', '-')), {
      minLength: 14,
      maxLength: 19,
    });
    fc.assert(
      fc.property(digits, around, around, (of, before, after) => {
        expect(sees([{ kind: 'digits' }], before + of.flat().join('') + after)).toBe(true);
      }),
    );
  });

  it('of a parameter of a URL', () => {
    fc.assert(
      fc.property(word, fc.constantFrom('?', '&'), around, (key, mark, before) => {
        expect(sees([{ kind: 'parameter' }], `${before}/path${mark}${key}=secret`)).toBe(true);
      }),
    );
  });
});

describe('a look for signs passes over', () => {
  it.each<[string, Sign, string]>([
    ['words that only begin alike', { kind: 'literal', text: 'password' }, 'pass the word, please'],
    ['an @ with nothing before it', { kind: 'mail' }, 'sent @ noon to berths.example'],
    ['an @ with no name that has a dot', { kind: 'mail' }, 'holds@berths says so'],
    ['thirteen digits', { kind: 'digits' }, 'ref 1234567890123 of today'],
    ['digits that letters part', { kind: 'digits' }, '1234567 or 7654321'],
    ['an equals sign that is no parameter', { kind: 'parameter' }, 'a = b, c=d'],
  ])('%s', (_, sign, text) => {
    expect(sees([sign], text)).toBe(false);
  });

  it('everything when there is no sign, and nothing when any text may be one', () => {
    expect(sees([], 'password=1 a@b.example')).toBe(false);
    expect(sees([{ kind: 'any' }], '')).toBe(true);
  });
});
