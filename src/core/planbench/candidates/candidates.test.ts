import { beforeAll, describe, expect, it } from 'vitest';
import { HARBOUR } from '../../../../tests/support/made/catalogue.ts';
import { loadParser } from '../../../formats/database/fingerprint.ts';
import { statementTrees, writeStatement } from '../../../formats/database/statementTree.ts';
import { columnUses } from './columnUses.ts';
import { indexCandidates } from './indexes.ts';
import { settingsCandidates } from './settings.ts';
import { statisticsCandidates } from './statistics.ts';

beforeAll(loadParser);

const usesOf = (text: string, name: string) => {
  const found = columnUses(statementTrees(text)[0], HARBOUR).find(({ table }) => table.name === name);
  return (
    found && {
      equal: [...found.equal].sort(),
      joined: [...found.joined].sort(),
      ranged: [...found.ranged].sort(),
      sorted: found.sorted.map((it) => (it.isDescending ? `${it.name} down` : it.name)),
      grouped: [...found.grouped],
      all: [...found.all].sort(),
    }
  );
};
const definitionsOf = (text: string) =>
  indexCandidates(statementTrees(text)[0], HARBOUR, writeStatement).map(({ definition }) => definition);

describe('what a statement does with columns', () => {
  it('tells what is compared, joined, sorted and grouped apart', () => {
    const text = `SELECT q.name, count(c.id) FROM call c JOIN quay q ON q.id = c.quay_id
      WHERE c.pilot_id = 7 AND c.at >= $1 GROUP BY q.name, c.kind ORDER BY c.kind DESC`;
    expect(usesOf(text, 'call')).toEqual({
      equal: ['pilot_id', 'quay_id'],
      joined: ['quay_id'],
      ranged: ['at'],
      sorted: ['kind down'],
      grouped: ['kind'],
      all: ['at', 'id', 'kind', 'pilot_id', 'quay_id'],
    });
    expect(usesOf(text, 'quay')).toMatchObject({ equal: ['id'], joined: ['id'], grouped: ['name'] });
  });

  it.each([
    ['the sides of an OR', 'SELECT id FROM call WHERE pilot_id = 3 OR tonnage = 5', { equal: ['pilot_id', 'tonnage'] }],
    ['a list of values', 'SELECT id FROM call WHERE pilot_id IN (3, 4)', { equal: ['pilot_id'] }],
    ['BETWEEN', 'SELECT id FROM call WHERE tonnage BETWEEN 3 AND 9', { ranged: ['tonnage'] }],
    ['the beginning of a text', "SELECT id FROM call WHERE kind LIKE 'fe%'", { ranged: ['kind'] }],
    [
      'what a query within asks of the one around it',
      'SELECT id FROM quay q WHERE EXISTS (SELECT FROM call c WHERE c.quay_id = q.id)',
      { joined: ['quay_id'] },
    ],
    ['the rows that are changed', 'UPDATE call SET kind = NULL WHERE pilot_id = 3', { equal: ['pilot_id'] }],
    ['the rows that are deleted', 'DELETE FROM call WHERE tonnage < 3', { ranged: ['tonnage'] }],
  ])('sees %s', (_, text, expected) => {
    expect(usesOf(text, 'call')).toMatchObject(expected);
  });

  it('leaves out a table where no index could help', () => {
    expect(usesOf('SELECT id, kind FROM call', 'call')).toBeUndefined();
  });
});

describe('indexes that could serve', () => {
  it('hold what is compared for being equal first, then the range or the order', () => {
    const found = definitionsOf('SELECT id FROM call WHERE pilot_id = 7 AND tonnage > 500 ORDER BY at DESC LIMIT 5');
    expect(found).toContain('CREATE INDEX ON call (pilot_id, tonnage)');
    expect(found).toContain('CREATE INDEX ON call (pilot_id, at DESC)');
    expect(found).not.toContain('CREATE INDEX ON call (tonnage, pilot_id, at DESC)');
    // Each key once, whatever it is used for.
    for (const it of found) expect(new Set(it.match(/\w+(?= DESC|,|\))/g)).size).toBe(it.match(/\w+(?= DESC|,|\))/g)!.length);
  });

  it('are not those that are there, nor on tables that are read as a whole anyway', () => {
    expect(definitionsOf('SELECT id FROM call WHERE at = $1')).not.toContain('CREATE INDEX ON call (at)');
    expect(definitionsOf('SELECT kind FROM call WHERE id = $1').filter((it) => it.endsWith('(id)'))).toEqual([]);
    expect(definitionsOf("SELECT name FROM quay WHERE region = 'Tern'")).toEqual([]);
  });

  it('may hold the rest of what is asked for, or the part of the rows alone that is', () => {
    const found = definitionsOf("SELECT tonnage FROM call WHERE pilot_id = $1 AND kind = 'tug'");
    expect(found).toContain('CREATE INDEX ON call (pilot_id) INCLUDE (tonnage, kind)');
    expect(found).toContain("CREATE INDEX ON call (pilot_id) WHERE kind = 'tug'");
    // Of ninety pilots, and a thousand weights, the next call asks for another.
    const other = definitionsOf("SELECT id FROM call WHERE kind = 'tug' AND pilot_id = 7 ORDER BY at LIMIT 5");
    expect(other).toContain("CREATE INDEX ON call (pilot_id) WHERE kind = 'tug'");
    expect(other.filter((it) => /WHERE.*pilot_id/.test(it))).toEqual([]);
    expect(definitionsOf('SELECT id FROM call WHERE pilot_id IS NULL AND tonnage = 3')).toContain(
      'CREATE INDEX ON call (tonnage) WHERE pilot_id IS NULL',
    );
    // A value that is given each time is no part of the rows.
    expect(found.filter((it) => /WHERE.*\$1/.test(it))).toEqual([]);
  });

  it('may be of an expression, of the beginning of a text, or of stretches of blocks', () => {
    expect(definitionsOf("SELECT id FROM call c WHERE lower(c.kind) = 'tug'")).toContain('CREATE INDEX ON call ((lower(kind)))');
    expect(definitionsOf("SELECT id FROM call WHERE kind LIKE 'fe%'")).toContain('CREATE INDEX ON call (kind text_pattern_ops)');
    expect(definitionsOf('SELECT hours FROM berthing WHERE at > $1')).toContain('CREATE INDEX ON berthing USING brin (at)');
    expect(definitionsOf('SELECT kind FROM call WHERE at > $1').some((it) => it.includes('brin'))).toBe(false);
    expect(definitionsOf('SELECT kind FROM call WHERE tonnage > $1').some((it) => it.includes('brin'))).toBe(false);
  });

  it('come simpler ones first, each once', () => {
    const found = indexCandidates(
      statementTrees('SELECT c.id FROM call c JOIN berthing b ON b.call_id = c.id WHERE c.pilot_id = 1 AND b.hours > 3')[0],
      HARBOUR,
      writeStatement,
    );
    expect(found.map(({ weight }) => weight)).toEqual([...found.map(({ weight }) => weight)].sort((a, b) => a - b));
    expect(new Set(found.map(({ definition }) => definition)).size).toBe(found.length);
    expect(found.map(({ definition }) => definition)).toContain('CREATE INDEX ON berthing (call_id, hours)');
  });
});

describe('statistics that the server does not keep', () => {
  it('are of columns that are compared together, and finer ones of each', () => {
    const found = statisticsCandidates(statementTrees("SELECT id FROM call WHERE pilot_id = 3 AND kind = 'tug'")[0], HARBOUR);
    expect(found.map(({ commands: [first] }) => first)).toEqual([
      'CREATE STATISTICS trial_statistics ON pilot_id, kind FROM call',
      'ALTER TABLE call ALTER COLUMN pilot_id SET STATISTICS 2000',
    ]);
    for (const { commands } of found) expect(commands.at(-1)).toBe('ANALYZE call');
  });

  it('of one column are finer ones alone, and of a small table none', () => {
    const of = (text: string) => statisticsCandidates(statementTrees(text)[0], HARBOUR).map(({ words }) => words);
    expect(of('SELECT id FROM call WHERE pilot_id = 3')).toEqual(['finer statistics of pilot_id']);
    expect(of("SELECT id FROM quay WHERE region = 'Tern'")).toEqual([]);
  });
});

describe('settings', () => {
  it('are each said once, in words, with values that are texts', () => {
    const all = settingsCandidates();
    expect(new Set(all.map(({ words }) => words)).size).toBe(all.length);
    expect(new Set(all.map(({ values }) => JSON.stringify(values))).size).toBe(all.length);
    for (const { why, values } of all) {
      expect(why).toMatch(/\.$/);
      expect(Object.entries(values).every(([name, value]) => /^[a-z_]+$/.test(name) && typeof value === 'string')).toBe(true);
    }
  });
});
