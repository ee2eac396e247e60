import { expect, it } from 'vitest';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import { eventFields, isEventField } from './eventFields.ts';

const withEvents = (...events: readonly [name: string, attributes: Record<string, string | number>][]) => ({
  ...makeSpan({ id: 1, from: 0, to: 5 }),
  events: events.map(([name, attributes], at) => ({ time: BigInt(at), name, attributes })),
});

it('are told by the name of the event and the key, every value of them', () => {
  const fields = eventFields(
    withEvents(['retry', { attempt: 1, reason: 'busy' }], ['gate shut', { by: 'wind' }], ['retry', { attempt: 2 }]),
  );
  expect([...fields]).toEqual([
    ['event:name', ['retry', 'gate shut', 'retry']],
    ['event:retry:attempt', [1, 2]],
    ['event:retry:reason', ['busy']],
    ['event:gate_shut:by', ['wind']],
  ]);
  expect([...fields.keys()].every(isEventField)).toBe(true);
  expect(isEventField('retry')).toBe(false);
});

it('leave exceptions to the failure, and what has no name or a text for one', () => {
  expect(eventFields(withEvents(['exception', { 'exception.type': 'E' }], ['', { a: 1 }], ['x'.repeat(61), { a: 1 }])).size).toBe(
    0,
  );
});

it('of a span are bounded', () => {
  const many = Array.from({ length: 200 }, (_, at): [string, Record<string, number>] => [`made up ${at}`, { a: at }]);
  const fields = eventFields(withEvents(...many));
  expect(fields.size).toBe(24);
  expect(fields.get('event:name')).toHaveLength(200);
});
