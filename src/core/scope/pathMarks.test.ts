import { describe, expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { standInForMarks, withEncodedMarks, withMarks } from './pathMarks.ts';

/** Whether the web framework takes a path: it decodes once, and refuses what it changed and what is still encoded then. */
function isTaken(path: string): boolean {
  const decoded = decodeURI(path);
  return decoded === path || !/%[0-9a-f]{2}/i.test(decoded);
}

describe('marks in a path', () => {
  it('are those of any name, once the framework has decoded it', () => {
    const { below, oneOf } = randomFrom(20_261_203);
    const pieces = ['a', ' ', ',', ';', '/', '?', '#', '%', '%41', '%2F', '&', '=', '+', '$', '@', ':', '{', 'é', '日', "'"];
    for (let times = 0; times < 2_000; times++) {
      const name = `x${Array.from({ length: below(8) }, () => oneOf(pieces)).join('')}`;
      const path = standInForMarks(`/services/${encodeURIComponent(name)}/versions?where=a%2Fb`);
      expect(path.endsWith('/versions?where=a%2Fb')).toBe(true);
      const [asked] = path.split('?');
      expect(isTaken(asked)).toBe(true);
      const { pathname } = new URL(`http://host${asked}`);
      const parts = pathname.split('/').map(decodeURIComponent);
      expect([parts.length, withMarks(parts[2])]).toEqual([4, name]);
      // As a browser would ask for it again.
      expect(decodeURIComponent(withEncodedMarks(pathname).split('/')[2])).toBe(name);
    }
  });

  it('are left alone where nothing is encoded, or the encoding is none', () => {
    for (const path of ['/now', '/now?to=100%25', '/a%zz', '/a%', '/a%E9b', '#%2F']) expect(standInForMarks(path)).toBe(path);
  });
});
