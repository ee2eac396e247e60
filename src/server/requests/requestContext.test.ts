import { expect, it } from 'vitest';
import { ownerOf, type RequestContext, type Who, whoAsks } from './requestContext.ts';

const asked = (address: string, who?: Partial<Who>): RequestContext => ({
  address,
  left: new AbortController().signal,
  identify: async () => who && { id: '', name: '', role: 'reader', environments: {}, via: 'session', ...who },
});

it('gives turns by the address, until it is known who asks', async () => {
  const nobody = asked('10.0.0.7');
  expect([await whoAsks(nobody), ownerOf(nobody)]).toEqual([undefined, '10.0.0.7']);
  const withoutAccounts = asked('10.0.0.7', { via: 'no accounts' });
  await whoAsks(withoutAccounts);
  expect(ownerOf(withoutAccounts)).toBe('10.0.0.7');
});

it('tells people behind one address apart, and a person from their programs', async () => {
  const owners = [];
  for (const who of [{ id: 'ines' }, { id: 'tomas' }, { id: 'ines', via: 'program' }, { id: 'ines' }] as const) {
    const context = asked('10.0.0.7', who);
    await whoAsks(context);
    owners.push(ownerOf(context));
  }
  expect(new Set(owners).size).toBe(3);
  expect(owners[3]).toBe(owners[0]);
});
