import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type SampledSecond, SESSION_STATES } from '../../core/database/sampledSecond.ts';
import { deriveEvent } from '../events/kinds.ts';
import { secondAttributes } from '../events/sampledSession.ts';
import { packSeconds, unpackSeconds } from './packSeconds.ts';

const text = fc.string({ maxLength: 20 });
const age = fc.option(fc.integer({ min: 0, max: 1e9 }));
const session = fc.record({
  session: fc.integer({ min: 1, max: 1e6 }).map(String),
  database: text,
  user: text,
  program: text,
  client: text,
  backend: text,
  state: fc.constantFrom(...SESSION_STATES),
  waitClass: text,
  waitEvent: text,
  statementId: text,
  traceparent: text,
  blockedBy: fc.array(fc.integer({ min: 1, max: 99 }).map(String), { maxLength: 3 }),
  sinceMs: age,
  transactionMs: age,
});
const second = fc.record({
  timeNs: fc.bigInt({ min: 0n, max: 2n ** 62n }),
  intervalMs: fc.integer({ min: 1, max: 60_000 }),
  idle: fc.nat(500),
  most: fc.nat(500),
  cores: fc.nat(64),
  sessions: fc.array(session, { maxLength: 5 }),
});
const whose = { system: 'postgresql', server: 'manifest-db' };

describe('a sampled second', () => {
  it('comes back as it was packed', () => {
    fc.assert(
      fc.property(fc.array(second), (all) => {
        const seconds: SampledSecond[] = all.map((it) => ({ ...it, ...whose }));
        expect(unpackSeconds(packSeconds(seconds), whose)).toEqual(seconds);
      }),
    );
  });

  it('is the same after it went as an event', () => {
    fc.assert(
      fc.property(second, ({ timeNs: _, ...it }) => {
        const sent = { ...whose, ...it };
        expect(deriveEvent('lantern.db.second', secondAttributes(sent, { f1: 'SELECT 1' }))).toEqual({
          table: 'dbSecond',
          row: { ...sent, statements: { f1: 'SELECT 1' } },
        });
      }),
    );
  });

  it('with sessions that are none is refused in words', () => {
    const wrong = (sessions: unknown[]) =>
      deriveEvent('lantern.db.second', {
        ...secondAttributes({ ...whose, intervalMs: 1000, idle: 0, most: 0, cores: 0, sessions: [] }),
        'lantern.db.sessions': sessions as never,
      });
    expect(wrong([{ state: 'active' }])).toEqual({ wrong: expect.stringMatching(/lantern\.db\.sessions\.0\.session/) });
    expect(wrong([{ session: '1', state: 'asleep' }])).toEqual({ wrong: expect.stringMatching(/sessions\.0\.state/) });
    expect(wrong(Array.from({ length: 5_001 }, (_, at) => ({ session: String(at), state: 'active' })))).toHaveProperty('wrong');
  });
});
