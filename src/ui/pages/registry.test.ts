import { describe, expect, it } from 'vitest';
import { PAGE_PARAMETERS, PAGES, pageOfKey } from './registry.ts';

describe('the registered pages', () => {
  it('have a path, a name and a key of their own', () => {
    for (const of of [PAGES.map(({ path }) => path), PAGES.map(({ name }) => name), PAGES.flatMap(({ key }) => key ?? [])])
      expect(new Set(of).size).toBe(of.length);
  });

  it('are found by the letter after g', () => {
    expect(pageOfKey('t')?.path).toBe('/traces');
    expect(pageOfKey('b')).toBeUndefined();
  });

  it('keep their own parameters, which are none of the scope', () => {
    expect(PAGE_PARAMETERS).toContain('level');
    for (const ofScope of ['from', 'to', 'last', 'before', 'where']) expect(PAGE_PARAMETERS).not.toContain(ofScope);
  });
});
