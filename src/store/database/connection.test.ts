import { describe, expect, it } from 'vitest';
import { isBrokenOff, isDatabaseUnavailable, mayBeWrittenLater } from './connection.ts';

/** An error as the driver throws it, wrapped as it comes. */
const failure = (code: string, message = 'of the server') =>
  new Error('Failed query', { cause: Object.assign(new Error(message), { code }) });

describe('what could not be written', () => {
  it.each([
    ['08006', 'a connection that broke'],
    ['53300', 'too many connections'],
    ['53100', 'a full disk'],
    ['57P01', 'a server that shuts down'],
    ['40P01', 'a deadlock'],
  ])('may be written later: %s, %s, since the store cannot work', (code) => {
    expect(isDatabaseUnavailable(failure(code))).toBe(true);
    expect(mayBeWrittenLater(failure(code))).toBe(true);
  });

  it.each([
    ['55P03', 'a lock that was not free'],
    ['57014', 'a statement that took too long'],
    ['XX000', 'a table that changed meanwhile'],
  ])('may be written later: %s, %s', (code) => {
    expect(isDatabaseUnavailable(failure(code))).toBe(false);
    expect(mayBeWrittenLater(failure(code))).toBe(true);
  });

  it.each([
    ['22P05', 'a character that cannot be kept'],
    ['23505', 'a key that is there'],
    ['42703', 'a column that is not there'],
    ['54000', 'more than fits'],
  ])('would be refused again: %s, %s', (code) => {
    expect(mayBeWrittenLater(failure(code))).toBe(false);
  });

  it('is not known to be well when it is no error of the server', () => {
    expect(mayBeWrittenLater(new TypeError('x is undefined'))).toBe(false);
    expect(mayBeWrittenLater(new Error('Connection terminated unexpectedly'))).toBe(true);
  });
});

describe('a statement that was broken off', () => {
  it('is told from one that could not be begun', () => {
    expect(isBrokenOff(failure('57014'))).toBe(true);
    expect(isBrokenOff(failure('57P01'))).toBe(false);
  });
});
