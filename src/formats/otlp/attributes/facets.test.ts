import { describe, expect, it } from 'vitest';
import { facetsOf, isFacetKey } from './facets.ts';

describe('attributes', () => {
  const attributes = {
    'ferry.route': 'tern-marram',
    'ferry.party_size': 4,
    'cache.hit': true,
    ratio: 0.25,
    long: 'x'.repeat(300),
    list: ['a', 'b'],
    nothing: null,
    'url.path': '/holds/OR53F6D4',
  };

  it('are facets when they tell kinds of requests apart; all that are no short text are one', () => {
    expect(facetsOf(attributes)).toEqual([
      { key: 'ferry.route', value: 'tern-marram' },
      { key: 'ferry.party_size', value: '4' },
      { key: 'cache.hit', value: 'true' },
      { key: 'ratio', value: '0.25' },
      { key: 'long', value: '…' },
      { key: 'list', value: '…' },
    ]);
    expect(['session.id', 'db.query.text', 'thread.id', 'code.function', 'exception.message'].filter(isFacetKey)).toEqual([]);
    expect([isFacetKey('k'.repeat(250)), isFacetKey('k'.repeat(251))]).toEqual([true, false]);
    expect(facetsOf({ note: 'y'.repeat(120) })[0].value).toHaveLength(120);
  });
});
