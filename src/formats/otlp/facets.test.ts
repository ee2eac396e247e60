import { describe, expect, it } from 'vitest';
import { facetsOf, facetText, isFacetKey } from './facets.ts';

describe('attributes', () => {
  const attributes = {
    'ferry.route': 'tern-marram',
    'ferry.party_size': 4,
    'cache.hit': true,
    ratio: 0.25,
    long: 'x'.repeat(300),
    list: ['a', 'b'],
    'url.path': '/holds/OR53F6D4',
  };

  it('are facets when they are short and tell kinds of requests apart', () => {
    expect(facetsOf(attributes)).toEqual([
      { key: 'ferry.route', value: 'tern-marram' },
      { key: 'ferry.party_size', value: '4' },
      { key: 'cache.hit', value: 'true' },
      { key: 'ratio', value: '0.25' },
    ]);
    expect(['session.id', 'db.query.text', 'thread.id', 'code.function', 'exception.message'].filter(isFacetKey)).toEqual([]);
    expect(facetText(null)).toBeUndefined();
    expect(facetText('y'.repeat(121))).toBeUndefined();
  });
});
