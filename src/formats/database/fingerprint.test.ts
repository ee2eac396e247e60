import { beforeAll, describe, expect, it } from 'vitest';
import { loadParser, readStatement } from './fingerprint.ts';

beforeAll(loadParser);

describe('a statement', () => {
  it('has one id, whatever its values, spacing and case of keywords', () => {
    const ids = [
      'SELECT id FROM sailing WHERE route = $1',
      "select id  from sailing where route = 'tern'",
      'SELECT id FROM sailing WHERE route = 7 -- of today',
    ].map((text) => readStatement(text)!.id);
    expect(new Set(ids).size).toBe(1);
    expect(ids[0]).toMatch(/^[0-9a-f]{16}$/);
  });

  it('has another id when another column is asked for', () =>
    expect(readStatement('SELECT id FROM sailing WHERE route = $1')!.id).not.toBe(
      readStatement('SELECT id FROM sailing WHERE vessel = $1')!.id,
    ));

  it('names its tables, those it changes first', () =>
    expect(readStatement('UPDATE booking SET season = 1 WHERE sailing_id IN (SELECT id FROM sailing_copy s)')!.tables).toEqual([
      'booking',
      'sailing_copy',
    ]));

  it('loses its values', () =>
    expect(readStatement("SELECT 1 FROM booking WHERE ref = 'OR77'")!.text).toBe('SELECT $1 FROM booking WHERE ref = $2'));

  it('that was cut is none', () => expect(readStatement('SELECT id, departs_at FROM sailing WHERE')).toBeUndefined());

  it('as the server writes it in its statistics is one, too', () =>
    expect(readStatement('DELETE FROM session WHERE expires_at < now() - interval $1')?.tables).toEqual(['session']));
});
