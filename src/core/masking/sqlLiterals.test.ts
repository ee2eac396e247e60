import { expect, it } from 'vitest';
import { withoutLiterals } from './sqlLiterals.ts';

it('literals go from SQL, names, parameters and comments stay', () => {
  expect(
    withoutLiterals(`SELECT t1.a FROM "deck 2" t1 WHERE b = 'O''Hara' AND c > 1.5e3 AND d = $1 /* traceparent='00-ab12' */ -- 5`),
  ).toBe(`SELECT t1.a FROM "deck 2" t1 WHERE b = ? AND c > ? AND d = $1 /* traceparent='00-ab12' */ -- 5`);
  expect(withoutLiterals('SELECT $tag$it$s$tag$')).toBe('SELECT ?');
  expect(withoutLiterals('SELECT $$a 1$$, $1$2, x$y$z')).toBe('SELECT ?, $1$2, x$y$z');
});

it('what does not end is a text to the end', () => {
  expect(withoutLiterals("a = 'open 5")).toBe('a = ?');
  expect(withoutLiterals('a = $x$open 5')).toBe('a = ?');
  expect(withoutLiterals('a = 5 /* open 5')).toBe('a = ? /* open 5');
  expect(withoutLiterals("a = ''''")).toBe('a = ?');
  expect(withoutLiterals("a = '''")).toBe('a = ?');
});

it.each(["'", '"', '$a$', '/*', '$a1$$b2$', "''x"])('a statement of nothing but %s is looked at once', (part) => {
  const many = part.repeat(300_000);
  expect(withoutLiterals(many).length).toBeLessThanOrEqual(many.length);
});
