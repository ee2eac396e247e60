import { expect, it } from 'vitest';
import { isPage } from './isPage.ts';

it.each(['/', '/now', '/services/a', '/casebook', '/casebook/12', '/casebook/read', '/apiary', '/v1x', '/nothing', '/drawn'])(
  '%s is drawn',
  (path) => {
    expect([isPage('GET', path), isPage('HEAD', path), isPage('POST', path)]).toEqual([true, true, false]);
  },
);

it.each(['/api', '/api/health', '/v1/traces', '/v1development/profiles', '/casebook/read/abc', '/casebook/12/hand-over.html'])(
  '%s is not',
  (path) => {
    expect(isPage('GET', path)).toBe(false);
  },
);
