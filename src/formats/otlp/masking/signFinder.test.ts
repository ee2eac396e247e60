import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DEFAULT_RULES, masker } from '../../../core/masking/rules.ts';
import type { Sign } from '../../../core/masking/signs.ts';
import { signFinder } from './signFinder.ts';

const bytesOf = (text: string) => new TextEncoder().encode(text);
const sees = (signs: readonly Sign[], text: string) => signFinder(signs)(bytesOf(text)).length > 0;
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

describe('a look for signs tells where they are', () => {
  const ALL: readonly Sign[] = [{ kind: 'mail' }, { kind: 'digits' }, { kind: 'parameter' }, { kind: 'literal', text: 'secret' }];
  const sign = fc.constantFrom('a@b.example', '4111 1111 1111 1111', '?key=x', 'SECRET');

  it('each within the piece that has it, when pieces stand one behind the other as records do', () => {
    const pieces = fc.array(fc.tuple(around, fc.option(sign), around), { maxLength: 12 });
    fc.assert(
      fc.property(pieces, (drawn) => {
        // A byte between two, as the tag of a field is.
        const texts = drawn.map(([before, it, after]) => `\x12${before};${it ?? ''}${after}`);
        const places = signFinder(ALL)(bytesOf(texts.join('')));
        let start = 0;
        for (const [at, text] of texts.entries()) {
          const here = places === 'anywhere' ? [] : places.filter((place) => place >= start && place < start + text.length);
          expect(here.length > 0).toBe(drawn[at][1] !== null);
          start += text.length;
        }
      }),
    );
  });

  it('no more of them than are asked for', () => {
    const text = 'secret '.repeat(20) + '4111111111111111 '.repeat(20);
    expect(signFinder(ALL)(bytesOf(text), 3)).toHaveLength(3);
    expect(signFinder(ALL)(bytesOf(text))).toHaveLength(40 - 19);
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

describe('a look for the signs of the usual rules', () => {
  const usual = masker(DEFAULT_RULES);
  const masked = (text: string) => usual.ofText('it', text);
  const maybe = (text: string) => sees(usual.signs, text);

  it('never misses what a closer one would find', () => {
    const bit = fc.constantFrom(
      'a@b.example',
      '4111 1111 1111 1111',
      '4111111111111111',
      '?token=abc',
      '&sig=x',
      'BEARER abcdefgh',
      'x',
      ' ',
      '7',
      '=',
      '@',
      'ö',
    );
    fc.assert(
      fc.property(fc.array(bit, { maxLength: 12 }), (bits) => {
        const text = bits.join('');
        if (masked(text) !== text) expect(maybe(text)).toBe(true);
      }),
      { numRuns: 3000 },
    );
  });
  it.each(['PassWord', 'client_secret', 'Authorization', 'set-cookie'])('sees the key %s', (key) =>
    expect(maybe(`...${key}...`)).toBe(true),
  );
  it.each(['hold placed on lane 12', 'GET /holds/17?lane=2'.replace('?', ' '), 'berths-db:5432', '2026-05-02 14:02'])(
    'passes over "%s"',
    (text) => expect(maybe(text)).toBe(false),
  );
});
