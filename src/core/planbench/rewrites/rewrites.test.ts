import { beforeAll, describe, expect, it } from 'vitest';
import { HARBOUR } from '../../../../tests/support/made/catalogue.ts';
import { loadParser } from '../../../formats/database/fingerprint.ts';
import { statementTrees, writeStatement } from '../../../formats/database/statementTree.ts';
import { rewriteAll } from './rewriteAll.ts';

/* That changed texts give the same rows is shown on a server, in tests/integration/databases; here stands what they say, and what is let be. */

beforeAll(loadParser);

const plain = (text: string) => text.replace(/\s+/g, ' ').trim();
const written = (text: string) => plain(writeStatement(statementTrees(text)[0]));
const found = (text: string) => rewriteAll(statementTrees(text)[0], HARBOUR, writeStatement);
const textsOf = (text: string) => found(text).map((it) => plain(it.text));
const wordsOf = (text: string) => found(text).map((it) => it.words.join('; '));

describe('a statement is said otherwise', () => {
  it.each([
    [
      'IN as EXISTS',
      'SELECT id FROM call WHERE pilot_id IN (SELECT id FROM pilot)',
      'SELECT id FROM call WHERE EXISTS (SELECT 1 FROM pilot WHERE pilot.id = call.pilot_id)',
    ],
    ['DISTINCT over a key left out', 'SELECT DISTINCT id, kind FROM call', 'SELECT id, kind FROM call'],
    ['DISTINCT as GROUP BY', 'SELECT DISTINCT kind, tonnage FROM call', 'SELECT kind, tonnage FROM call GROUP BY 1, 2'],
    [
      'a join that loses and adds nothing left out',
      'SELECT c.id FROM call c JOIN quay q ON q.id = c.quay_id WHERE c.tonnage = 4',
      'SELECT c.id FROM call c WHERE c.tonnage = 4',
    ],
    [
      'a day as a range',
      "SELECT id FROM call WHERE at::date = '2026-03-29'",
      "SELECT id FROM call WHERE at >= '2026-03-29'::date AND at < ('2026-03-29'::date + 1)",
    ],
    [
      'a count that is only compared with nothing as EXISTS',
      'SELECT id FROM quay q WHERE (SELECT count(*) FROM call c WHERE c.quay_id = q.id) > 0',
      'SELECT id FROM quay q WHERE EXISTS (SELECT 1 FROM call c WHERE c.quay_id = q.id)',
    ],
  ])('%s', (_, text, expected) => {
    expect(textsOf(text)).toContain(written(expected));
  });

  it('also twice, one change upon the other, each told', () => {
    const both = found("SELECT DISTINCT c.id FROM call c JOIN quay q ON q.id = c.quay_id WHERE at::date = '2026-03-29'");
    // Only without the other table is it seen that a key tells the rows apart.
    expect(both.map(({ words }) => words.join('; '))).toContain('day of at said as a range; q left out; DISTINCT left out');
    for (const { words, why } of both) {
      expect(why.length).toBeGreaterThan(0);
      expect(why.length).toBeLessThanOrEqual(words.length);
    }
    expect(new Set(both.map((it) => it.text)).size).toBe(both.length);
  });

  it('in the WHERE of what changes rows, too', () => {
    expect(textsOf("UPDATE call SET kind = 'tug' WHERE at::date = '2026-03-29'")).toContain(
      written("UPDATE call SET kind = 'tug' WHERE at >= '2026-03-29'::date AND at < ('2026-03-29'::date + 1)"),
    );
  });
});

describe('a statement is let be where its rows could change', () => {
  it.each([
    ['a join whose partner may be missing', 'SELECT b.id FROM berthing b JOIN call c ON c.id = b.call_id', 'left out'],
    ['a join whose partner is asked for', 'SELECT c.id, q.name FROM call c JOIN quay q ON q.id = c.quay_id', 'left out'],
    ['DISTINCT where no key is among the columns', 'SELECT DISTINCT quay_id, kind FROM call', 'DISTINCT left out'],
    ['DISTINCT ON, which chooses rows', 'SELECT DISTINCT ON (quay_id) id, quay_id FROM call ORDER BY quay_id, at', 'GROUP BY'],
    [
      'a count that is compared with more',
      'SELECT id FROM quay q WHERE (SELECT count(*) FROM call c WHERE c.quay_id = q.id) > 2',
      'EXISTS',
    ],
    ['a page of nothing but its keys', 'SELECT id FROM call ORDER BY at, id LIMIT 20 OFFSET 5000', 'keys of the page'],
  ])('%s', (_, text, words) => {
    expect(wordsOf(text).filter((it) => it.includes(words))).toEqual([]);
  });

  it('NOT IN of values that may be missing keeps what a missing value means', () => {
    for (const text of textsOf('SELECT id FROM call WHERE pilot_id NOT IN (SELECT id FROM pilot)').filter((it) =>
      it.includes('NOT EXISTS'),
    ))
      expect(text).toMatch(/IS NULL/);
    for (const text of textsOf('SELECT id FROM call WHERE quay_id NOT IN (SELECT id FROM quay)').filter((it) =>
      it.includes('NOT EXISTS'),
    ))
      expect(text).not.toMatch(/IS NULL/);
  });

  it('and a text that is not a question, or asks nothing of tables, is not changed', () => {
    expect(found('SELECT 1')).toEqual([]);
    expect(found('INSERT INTO quay (id, name) VALUES (1, $1)')).toEqual([]);
  });
});

describe('different values by steps', () => {
  it('go from value to value, and ask apart for rows without one where there may be some', () => {
    const steps = (text: string) => textsOf(text).find((it) => it.startsWith('WITH RECURSIVE'));
    expect(steps('SELECT DISTINCT quay_id FROM call')).not.toMatch(/UNION ALL SELECT NULL/);
    expect(steps('SELECT DISTINCT pilot_id FROM call')).toMatch(/UNION ALL SELECT NULL WHERE EXISTS/);
    expect(steps('SELECT DISTINCT pilot_id FROM call WHERE tonnage > 3')).toBeUndefined();
    expect(steps('SELECT DISTINCT pilot_id, kind FROM call')).toBeUndefined();
  });
});
