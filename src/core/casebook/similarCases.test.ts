import { describe, expect, it } from 'vitest';
import { EMPTY_CASE } from './caseContent.ts';
import { type CaseTraits, causeWords, similarCases } from './similarCases.ts';

const traits = (id: number, about: readonly string[], words: readonly string[] = []): CaseTraits => ({ id, about, words });

describe('similar cases', () => {
  it('are those that share what is rare, with what they share', () => {
    const own = traits(1, ['service:gangway', 'database:manifest-db', 'blocker:season-rollover'], ['lock', 'rollover']);
    const others = [
      traits(2, ['service:gangway', 'database:manifest-db', 'blocker:season-rollover'], ['lock']),
      traits(3, ['service:gangway', 'service:fares'], ['retry']),
      traits(4, ['service:gangway', 'host:quay-3'], ['backup']),
      traits(5, ['service:gangway', 'app:deck-app'], ['crash']),
    ];
    const found = similarCases(own, [own, ...others]);
    expect(found.map(({ id }) => id)).toEqual([2]);
    expect(found[0].shared.slice(0, 2).sort()).toEqual(['blocker:season-rollover', 'database:manifest-db']);
    expect(found[0].likeness).toBeGreaterThan(0.5);
  });

  it('are none when all that is shared is what every case has', () => {
    const all = Array.from({ length: 30 }, (_, at) =>
      traits(at + 1, ['service:gangway', `host:h${at}`, `shape:s${at}`], [`w${at}`]),
    );
    expect(similarCases(all[0], all)).toEqual([]);
  });

  it('are all of likeness 1 when they are the same, and never above', () => {
    const one = traits(1, ['host:a', 'job:b'], ['c']);
    expect(similarCases(one, [one, traits(2, ['host:a', 'job:b'], ['c'])])).toEqual([
      { id: 2, likeness: 1, shared: ['host:a', 'job:b', 'c'] },
    ]);
  });

  it('of a case that says nothing are none', () => {
    expect(similarCases(traits(1, []), [traits(2, [])])).toEqual([]);
  });
});

describe('words of the cause', () => {
  const hypothesis = (text: string, standing: 'open' | 'holds' | 'ruled out') => ({
    id: text,
    order: 1,
    text,
    standing,
    reason: '',
    for: [],
    against: [],
  });

  it('are of the title and of what holds; what was ruled out says nothing', () => {
    const words = causeWords({
      ...EMPTY_CASE,
      title: 'Change a booking hung',
      hypotheses: [hypothesis('The roll-over keeps row locks', 'holds'), hypothesis('manifest-db is short of disk', 'ruled out')],
    });
    expect(words).toEqual(['change', 'booking', 'hung', 'roll-over', 'keeps', 'row', 'locks']);
  });

  it('are of what is open while nothing holds', () => {
    expect(causeWords({ ...EMPTY_CASE, hypotheses: [hypothesis('Backup steals CPU', 'open')] })).toEqual([
      'backup',
      'steals',
      'cpu',
    ]);
  });
});
