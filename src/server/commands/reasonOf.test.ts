import { expect, it } from 'vitest';
import { reasonOf } from './reasonOf.ts';

it('the reason is the message itself, or what lies below a statement that failed', () => {
  expect(reasonOf(new Error('port 80 is in use'))).toBe('port 80 is in use');
  const refused = Object.assign(new Error('connect ECONNREFUSED 127.0.0.1:5432'), { code: 'ECONNREFUSED' });
  expect(reasonOf(new Error('Failed query: SELECT 1', { cause: refused }))).toBe(
    'the database does not answer: connect ECONNREFUSED 127.0.0.1:5432',
  );
  expect(reasonOf(new Error('Failed query: SELECT 1', { cause: new Error('permission denied') }))).toBe(
    'the database says: permission denied',
  );
});
