import { describe, expect, it } from 'vitest';
import type { DatabaseList } from '../../api/databases/list.ts';
import { WAIT_CLASSES, type WaitClass } from '../../core/database/waitClasses.ts';
import {
  ageWords,
  coresLine,
  databasesHeadline,
  handOver,
  type ListedServer,
  othersLine,
  rootWords,
  sinceLine,
  stateOf,
  whoIs,
} from './words.ts';

const load = (of: Partial<Record<WaitClass, number>>): NonNullable<ListedServer['lit']> => {
  const byClass = WAIT_CLASSES.map((name) => of[name] ?? 0);
  return { value: byClass.reduce((sum, it) => sum + it, 0), error: 0.1, byClass, samples: 3600 };
};
const server = (name: string, of: Partial<ListedServer>): ListedServer => ({
  name,
  cores: 4,
  coverage: 1,
  lit: load({ CPU: 1 }),
  before: load({ CPU: 1 }),
  move: 'flat',
  since: null,
  worst: null,
  tide: {} as ListedServer['tide'],
  ...of,
});
const list = (...servers: ListedServer[]) => ({ servers }) as unknown as DatabaseList;
const locked = server('manifest-db', { lit: load({ CPU: 1.2, Lock: 21.4 }), before: load({ CPU: 2.2 }), move: 'up' });

describe('the headline over all database servers', () => {
  it('is the worst that has more to do, and what most of its load is', () => {
    expect(databasesHeadline(list(locked, server('sailing-db', {})))).toBe(
      'manifest-db: 2.2 → 22.6 sessions, 95 % of it waiting for a lock',
    );
  });

  it('says that none has, and how many have less', () => {
    expect(databasesHeadline(list(server('a', {})))).toBe('No server has more to do than before');
    expect(databasesHeadline(list(server('a', {}), server('b', { move: 'down' })))).toMatch(/; 1 has less$/);
    expect(databasesHeadline(list(server('a', { move: 'down' }), server('b', { move: 'down' })))).toMatch(/; 2 have less$/);
  });

  it('claims nothing where there is nothing to hold it against, or no server', () => {
    expect(databasesHeadline(list(server('a', { move: 'unknown', before: null })))).toBe(
      '1 server; nothing to hold them against yet',
    );
    expect(databasesHeadline(list())).toBe('No database server is sampled');
  });

  it('is followed by the others: those that have more, and those that did not move', () => {
    const more = server('sailing-db', { lit: load({ CPU: 3 }), move: 'up' });
    expect(othersLine(list(locked, more, server('account-db', {})))).toBe(
      'sailing-db has more to do, too: 1.0 → 3.0 sessions. account-db did not move.',
    );
    expect(othersLine(list(locked, ...Array.from({ length: 5 }, (_, at) => server(`db-${at}`, {}))))).toBe(
      '5 others did not move.',
    );
    expect(othersLine(list(locked))).toBe('');
  });
});

describe('the state of a server', () => {
  it.each([
    ['up', 'strained'],
    ['flat', 'calm'],
    ['down', 'calm'],
    ['unknown', 'unknown'],
  ] as const)('that moved %s is %s', (move, state) => {
    expect(stateOf({ move, lit: load({ CPU: 1 }) })).toBe(state);
  });

  it('that was not sampled is unknown', () => {
    expect(stateOf({ move: 'up', lit: null })).toBe('unknown');
  });
});

describe('the cores of a server', () => {
  it('are nearly full, or are not what is waited for', () => {
    expect(coresLine({ lit: load({ CPU: 3.6 }), cores: 4 })).toBe('3.6 of 4 cores computing: nearly full');
    expect(coresLine(locked)).toBe('1.2 of 4 cores computing, so it is not the CPU');
    // Half of the load computes: that it is not the CPU would be too much to say.
    expect(coresLine({ lit: load({ CPU: 1.2, Lock: 1 }), cores: 4 })).toBe('1.2 of 4 cores computing');
  });

  it('are not spoken of where they are not known', () => {
    expect(coresLine({ lit: load({ CPU: 1 }), cores: 0 })).toBe('');
    expect(coresLine({ lit: null, cores: 4 })).toBe('');
  });
});

describe('sentences of blocking', () => {
  const root = {
    session: '4711',
    program: 'season-rollover',
    user: 'batch',
    client: 'moor-3',
    statementId: 'a',
    statement: 'UPDATE booking',
    text: 'UPDATE booking SET season = $1',
    firstMs: Date.parse('2026-05-02T14:00:05Z'),
    lastMs: Date.parse('2026-05-02T14:09:55Z'),
    waitedMs: 590_000,
    most: 12,
    mostAtMs: Date.parse('2026-05-02T14:05:00Z'),
    idleShare: 0.93,
  };

  it.each([
    [400, '400 ms'],
    [48_900, '48 s'],
    [590_000, '9 min 50 s'],
    [600_000, '10 min'],
    [7_260_000, '2 h 1 min'],
    [7_200_000, '2 h'],
  ])('%i ms are %s, never more than was seen', (ms, words) => {
    expect(ageWords(ms)).toBe(words);
  });

  it('name who blocks: the program, else the user, else the session', () => {
    expect(whoIs(root)).toBe('season-rollover');
    expect(whoIs({ ...root, program: '' })).toBe('batch');
    expect(whoIs({ ...root, program: '', user: '' })).toBe('session 4711');
  });

  it('give the share of the root, and nothing where nobody waited', () => {
    expect(rootWords({ roots: [root], waitedMs: 1_180_000 } as never)?.share).toBe(0.5);
    expect(rootWords({ roots: [root], waitedMs: 0 } as never)?.share).toBe(0);
    expect(rootWords({ roots: [], waitedMs: 0 } as never)).toBeUndefined();
  });

  it('hand over all that whoever ends the session has to know', () => {
    const text = handOver('manifest-db', root, 'UTC', 'https://lantern.example/databases/manifest-db');
    expect(text.split('\n')).toEqual([
      'season-rollover (session 4711, user batch, from moor-3) blocks others on manifest-db.',
      'Seen from 14:00:05 to 14:09:55; up to 12 sessions waited at once, 9 min 50 s in all.',
      'It held its transaction open without running anything for 93 % of that time. Its last statement:',
      'UPDATE booking SET season = $1',
      'https://lantern.example/databases/manifest-db',
    ]);
    expect(handOver('manifest-db', { ...root, idleShare: 0.1, text: '' }, 'UTC', '')).toContain('Its statement:\n(text unknown)');
  });

  it('tell since when the load moved, in the zone of who reads', () => {
    const since = Date.parse('2026-05-02T14:00:05Z');
    expect(sinceLine({ since, move: 'up', worst: null }, 'UTC', since)).toBe('more since 14:00:05');
    expect(sinceLine({ since, move: 'down', worst: null }, 'UTC', since)).toBe('less since 14:00:05');
    expect(sinceLine({ since: null, move: 'up', worst: null }, 'UTC', since)).toBe('');
    const worst = { from: since, to: since + 3_600_000, value: 54.2 };
    expect(sinceLine({ since, move: 'up', worst }, 'UTC', since + 36_000_000)).toBe('54.2 sessions on Sat 2 May 14:00–15:00');
  });
});
