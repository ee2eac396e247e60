import { describe, expect, it } from 'vitest';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import type { Attributes, Span } from '../trace/span.ts';
import { groupKey, kindOf, mentions, occurrenceOf } from './group.ts';

function failing(attributes: Attributes = {}, exceptions: readonly Attributes[] = [], statusMessage = ''): Span {
  const span = makeSpan({ id: 1, from: 0, to: 9, service: 'holds', name: 'POST /holds', failed: true, attributes });
  return { ...span, statusMessage, events: exceptions.map((its) => ({ time: span.start, name: 'exception', attributes: its })) };
}

describe('what a failing span says of itself', () => {
  it('is its last exception', () => {
    const span = failing({ 'http.response.status_code': 500 }, [
      { 'exception.type': 'Timeout', 'exception.message': 'first' },
      { 'exception.type': 'NoRoom', 'exception.message': 'no room on lane 4', 'exception.stacktrace': 'at solve' },
    ]);
    expect(occurrenceOf(span)).toEqual({
      service: 'holds',
      operation: 'POST /holds',
      type: 'NoRoom',
      message: 'no room on lane 4',
      stack: 'at solve',
      code: '500',
    });
  });

  it('is the code where it has no exception, and that it fails where it has nothing', () => {
    expect(occurrenceOf(failing({ 'http.status_code': 503 }, [], 'later'))).toMatchObject({
      type: 'answers 503',
      message: 'later',
    });
    expect(occurrenceOf(failing())).toMatchObject({ type: 'fails', message: '', code: '', stack: '' });
    // Events of another name are none, and neither is an exception without a type.
    const other = failing({}, [{ 'exception.message': 'lost' }]);
    expect(occurrenceOf(other)).toMatchObject({ type: 'fails', message: 'lost' });
  });
});

describe('occurrences', () => {
  const keyOf = (type: string, message: string) => {
    const it = occurrenceOf(failing({}, [{ 'exception.type': type, 'exception.message': message }]));
    return groupKey({ service: it.service, ...kindOf(it) });
  };

  it('are the same by type and shape of message, whatever numbers it has', () => {
    expect(keyOf('NoRoom', 'no room on lane 4')).toBe(keyOf('NoRoom', 'no room on lane 17'));
    expect(keyOf('NoRoom', 'no room on lane 4')).not.toBe(keyOf('Timeout', 'no room on lane 4'));
    expect(keyOf('NoRoom', 'no room on lane 4')).not.toBe(keyOf('NoRoom', 'no crew on lane 4'));
  });

  it.each(['NOROOM', 'lane 4', 'post /holds', 'solve.ts', 'coach', 'vehicle_class', 'guest', '"lane":4'])(
    'are found by %j, in whatever they say',
    (sought) => {
      const span = {
        ...failing({ 'ferry.vehicle_class': 'coach', 'deck.slot': { lane: 4 } }, [
          { 'exception.type': 'NoRoom', 'exception.message': 'on lane 4', 'exception.stacktrace': 'at solve (solve.ts:7)' },
        ]),
        resource: { 'service.name': 'holds', 'user.kind': 'guest' },
      };
      expect(mentions(span, occurrenceOf(span), sought)).toBe(true);
      expect(mentions(span, occurrenceOf(span), `${sought} of somebody else`)).toBe(false);
    },
  );
});
