import { expect, it } from 'vitest';
import { incidentWhere } from './incidentWhere.ts';

it('an incident of a rule is about the requests of its journey', () => {
  const rules = [
    { id: 'slow', journey: 'Place a hold' },
    { id: 'seldom', journey: 'GET /notices' },
  ];
  const named = [{ name: 'Place a hold', entries: ['POST /holds', 'PUT /holds'] }];
  expect(incidentWhere('slow', rules, named)).toBe('entry is POST /holds,PUT /holds');
  // An entry that no journey names is one of its own.
  expect(incidentWhere('seldom', rules, named)).toBe('entry is GET /notices');
  expect(incidentWhere('', rules, named)).toBe('');
  expect(incidentWhere('gone', rules, named)).toBe('');
});
