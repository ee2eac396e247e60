import { describe, expect, it } from 'vitest';
import { isAtLeast, LEAST, ROLES } from './role.ts';

describe('a role', () => {
  it('may do what it is the least for, and all before it', () => {
    const table = LEAST.map((least) =>
      [least, ...[undefined, ...ROLES].map((role) => (isAtLeast(role, least) ? 'x' : '.'))].join(' '),
    );
    expect(table).toEqual(['anyone x x x x', 'sender . . . .', 'reader . x x x', 'responder . . x x', 'administrator . . . x']);
  });
});
