import { describe, expect, it } from 'vitest';
import { originWords } from './originWords.ts';

describe('in which way a place is slow', () => {
  it('is the kind of time that grew most', () => {
    expect(
      originWords({
        kinds: [
          { kind: 'lock', extraNs: 9 },
          { kind: 'own', extraNs: 1 },
        ],
        moreCalls: [],
        misses: [],
      }),
    ).toBe('waiting for a lock');
    expect(originWords({ kinds: [], moreCalls: [], misses: [] })).toBe('');
  });

  it('is whom it asks more often, where that takes as long', () => {
    const moreCalls = [{ to: 'database:manifest-db', before: 2, lit: 141.4, extraNs: 10, asker: null }];
    expect(originWords({ kinds: [{ kind: 'own', extraNs: 3 }], moreCalls, misses: [] })).toBe(
      'asks manifest-db 141 × a request, 2.0 × before',
    );
    expect(originWords({ kinds: [{ kind: 'own', extraNs: 30 }], moreCalls, misses: [] })).toBe('own code');
    expect(originWords({ kinds: [], moreCalls, misses: [] }, (name) => name.toUpperCase())).toMatch(/^asks MANIFEST-DB/);
  });

  it('is of a cache that it answers less', () => {
    const moreCalls = [{ to: 'sailings', before: 0.18, lit: 0.98, extraNs: 10, asker: 'holds' }];
    expect(originWords({ kinds: [], moreCalls, misses: [] })).toBe(
      'answers less: holds asks sailings 1.0 × a request, 0.2 × before',
    );
  });

  it('is of a cache what it has not', () => {
    const misses = [{ asker: 'fares', before: 0.1, lit: 0.95, extraNs: 10 }];
    expect(originWords({ kinds: [{ kind: 'db', extraNs: 1 }], moreCalls: [], misses })).toBe(
      'misses 95 % of what fares asks for, 10 % before',
    );
    expect(originWords({ kinds: [{ kind: 'db', extraNs: 30 }], moreCalls: [], misses })).toBe('statement running');
  });
});
