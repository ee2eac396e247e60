import { expect, it } from 'vitest';
import { errorText } from './errorText.ts';

it('has the stack and what caused it', () => {
  const text = errorText(new Error('no answer', { cause: new Error('no connection') }));
  expect(text).toMatch(/^Error: no answer\n[\s\S]*errorText\.test\.ts[\s\S]*\ncaused by Error: no connection\n/);
});

it('is no longer than can be read, however much an error holds', () => {
  let error = new Error('y'.repeat(10_000_000));
  for (let depth = 0; depth < 20; depth++) error = new Error('x'.repeat(1_000_000), { cause: error });
  const text = errorText(error);
  expect(text.length).toBeLessThan(17_000);
  expect(text).toContain('characters left out');
});

it('takes what is no error', () => expect(errorText('gone')).toBe('gone'));
