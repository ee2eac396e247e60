import fc from 'fast-check';
import { expect, it } from 'vitest';
import { pathWithin } from './pathWithin.ts';

it.each([
  ['/map?last=1h#x', '/map?last=1h#x'],
  ['', '/now'],
  ['https://evil.example', '/now'],
  ['//evil.example', '/now'],
  ['/\\evil.example', '/now'],
  ['/\t/evil.example', '/now'],
  ['/\n/evil.example', '/now'],
  ['javascript:alert(1)', '/now'],
  ['/..//evil.example', '/now'],
  ['/sign-in?to=/map', '/now'],
  ['/api/account/sign-out', '/now'],
])('%j leads to %s', (to, where) => expect(pathWithin(to)).toBe(where));

it('never leads to another host', () => {
  fc.assert(
    fc.property(fc.string({ unit: fc.constantFrom('/', '\\', '.', ':', '@', '\t', 'e', '%', '?') }), (text) => {
      const where = new URL(pathWithin(`/${text}`), 'http://here.invalid');
      expect(where.host).toBe('here.invalid');
      expect(pathWithin(`/${text}`)).toMatch(/^\/(?!\/)/);
    }),
  );
});
