import { describe, expect, it } from 'vitest';
import { isAtLeast, isAtLeastSomewhere, LEAST, lesser, ROLES, roleIn } from './role.ts';

describe('a role', () => {
  it('may do what it is the least for, and all before it', () => {
    const table = LEAST.map((least) =>
      [least, ...[undefined, ...ROLES].map((role) => (isAtLeast(role, least) ? 'x' : '.'))].join(' '),
    );
    expect(table).toEqual(['anyone x x x x', 'sender . . . .', 'reader . x x x', 'responder . . x x', 'administrator . . . x']);
  });
});

describe('a role of an environment', () => {
  const ines = { role: 'responder', environments: { production: 'reader', 'quay-test': 'administrator' } } as const;

  it('replaces the general one there, whether it allows more or less', () => {
    expect(roleIn(ines, 'production')).toBe('reader');
    expect(roleIn(ines, 'quay-test')).toBe('administrator');
    expect(roleIn(ines, 'staging')).toBe('responder');
    expect(roleIn(ines, '')).toBe('responder');
    expect(roleIn(ines, 'constructor')).toBe('responder');
  });

  it('may be enough somewhere alone', () => {
    expect(isAtLeastSomewhere(ines, 'administrator')).toBe(true);
    expect(isAtLeastSomewhere({ ...ines, environments: { production: 'reader' } }, 'administrator')).toBe(false);
    expect(isAtLeastSomewhere({ role: 'reader', environments: {} }, 'reader')).toBe(true);
  });

  it('is never more than the token that a program asks by', () => {
    expect(ROLES.map((it) => lesser(it, 'responder'))).toEqual(['reader', 'responder', 'responder']);
    expect(ROLES.map((it) => lesser('responder', it))).toEqual(['reader', 'responder', 'responder']);
  });
});
