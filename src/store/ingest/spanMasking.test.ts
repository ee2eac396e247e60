import fc from 'fast-check';
import { expect, it } from 'vitest';
import { makeSpan } from '../../../tests/support/made/traceMaker.ts';
import { DEFAULT_RULES, masker } from '../../core/masking/rules.ts';
import type { Span } from '../../core/trace/span.ts';
import { maskRequest, recordMasking } from '../../formats/otlp/masking/maskRequest.ts';
import { signFinder } from '../../formats/otlp/masking/signFinder.ts';
import { visitRecords } from '../../formats/otlp/span/decodeTraces.ts';
import { encodeTracesProtobuf } from '../../formats/otlp/span/encodeProtobuf.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { Refusals } from '../../formats/otlp/wire/refusal.ts';
import { readRequest } from '../../formats/otlp/wire/request.ts';
import { SpanColumns } from './spanColumns.ts';

const usual = masker(DEFAULT_RULES);
const usualLook = signFinder(usual.signs);

/** The records of some spans as they are in columns, and what was masked in them. */
function read(spans: readonly Span[], rules = usual, look = usualLook) {
  let masked = 0;
  const masking = recordMasking(look, 'traces', rules, () => masked++);
  const columns = new SpanColumns(spans.length, masking);
  visitRecords(readRequest(encodeTracesProtobuf(spans)).groups, new Refusals(), columns);
  return { columns, masked };
}

/** A text that may have something in it that is to be masked. */
const note = fc.oneof(
  { weight: 3, arbitrary: fc.constantFrom('holds', 'lane 12', 'x'.repeat(140), '', 'GET /holds/17') },
  { weight: 1, arbitrary: fc.constantFrom('a@b.example', '/pass?token=abc123', 'card 4111 1111 1111 1111', 'Bearer abcdefghij') },
);
const key = fc.constantFrom('http.route', 'note', 'db.password', 'peer.service', 'user.id', 'k'.repeat(130));
const attributes = fc.dictionary(key, fc.oneof(note, fc.array(note, { maxLength: 2 }), fc.record({ secret: note })), {
  maxKeys: 4,
});
const drawn = fc.record({
  name: note,
  traceState: note,
  statusMessage: note,
  attributes,
  ofEvent: attributes,
  ofLink: attributes,
});
const spanOf = ({ ofEvent, ofLink, ...own }: typeof drawn extends fc.Arbitrary<infer T> ? T : never, id: number): Span => {
  const span = makeSpan({ id, from: 0, to: 9, kind: 'client' });
  const { traceId, spanId, start } = span;
  return {
    ...span,
    ...own,
    events: [{ name: 'noted', time: start, attributes: ofEvent }],
    links: [{ traceId, spanId, traceState: '', attributes: ofLink }],
  };
};

const textOf = (record: Uint8Array) => Buffer.from(record).toString('latin1');

it('takes out of spans, wherever it stands, what would be taken out of the whole request', () => {
  fc.assert(
    fc.property(fc.array(drawn, { minLength: 1, maxLength: 12 }), (list) => {
      const spans = list.map(spanOf);
      let expected = 0;
      const request = readRequest(encodeTracesProtobuf(spans));
      const whole = maskRequest(request, 'traces', usual, new Refusals(), () => expected++);
      const { columns, masked } = read(spans);
      expect(columns.records.map(textOf)).toEqual(whole.groups.flatMap(({ records }) => records).map(textOf));
      expect(masked).toBe(expected);
    }),
    { numRuns: 300 },
  );
});

it('goes by what is left of a span in all that is made of it', () => {
  const attributes = { 'peer.service': 'a@b.example', 'user.id': 'guest@b.example' };
  const { columns } = read([{ ...makeSpan({ id: 1, from: 0, to: 9, kind: 'client', name: 'to c@d.example' }), attributes }]);
  expect(columns.operations[0].name).toBe('to [masked: mail address]');
  expect(columns.calls[0].peer).toBe('[masked: mail address]');
  expect(columns.users).toEqual(['[masked: mail address]']);
  expect(columns.attributes.map(({ value }) => value)).toEqual(['[masked: mail address]', '[masked: mail address]']);
});

it('looks again at what it has seen when the rules are others', () => {
  const span = { ...makeSpan({ id: 1, from: 0, to: 9, name: 'hold OR4532' }), attributes: { 'booking.ref': 'OR4532' } };
  expect(read([span]).masked).toBe(0);
  const rules = masker([{ name: 'booking', on: true, kind: 'value', pattern: 'OR\\d+' }]);
  const { columns, masked } = read([span], rules, signFinder(rules.signs));
  expect(masked).toBe(2);
  expect(readSpan(columns.records[0], {}, { name: '', version: '' })).toMatchObject({
    name: 'hold [masked: booking]',
    attributes: { 'booking.ref': '[masked: booking]' },
  });
  expect(read([span]).columns.operations[0].name).toBe('hold OR4532');
});

it('does not count the attributes of a span that came twice', () => {
  const spanWith = (id: number, value: string) => ({ ...makeSpan({ id, from: 0, to: 9 }), attributes: { note: value } });
  const { columns } = read([spanWith(1, 'first'), spanWith(1, 'again'), spanWith(2, 'second')]);
  expect(columns.attributes.map(({ value }) => value)).toEqual(['first', 'second']);
  expect([...columns.attributesEnd.subarray(0, columns.count)]).toEqual([1, 2]);
});
