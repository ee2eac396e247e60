import { describe, expect, it } from 'vitest';
import { makeSpan } from '../../../../tests/support/made/traceMaker.ts';
import { encodeTracesProtobuf } from '../span/encodeProtobuf.ts';
import { readSpanHead, WantedKeys } from '../span/spanHead.ts';
import { readSpan } from '../span/spanRecord.ts';
import { Refusals, RefusedRecord } from './refusal.ts';
import { field, readRequest, writeRequest } from './request.ts';

const text = (number: number, words: string) => Buffer.concat(field(number, [Buffer.from(words)]));
const join = (...pieces: Uint8Array[]) => Buffer.concat(pieces);
const nest = (number: number, ...pieces: Uint8Array[]) => Buffer.concat(field(number, pieces));

describe('an export request', () => {
  const first = nest(
    1,
    nest(1, text(1, 'resource')),
    nest(2, nest(1, text(1, 'scope')), nest(2, text(5, 'one')), nest(2, text(5, 'two'))),
  );

  it('is put together again as it was, byte for byte', () => {
    const whole = join(first, nest(1, nest(2, nest(2, text(5, 'three')))));
    expect(writeRequest(readRequest(whole))).toEqual(whole);
  });

  it('keeps fields that nobody knows, at every level', () => {
    const whole = join(
      nest(
        1,
        nest(1, text(99, 'in the resource')),
        nest(2, nest(2, text(77, 'in a record')), text(88, 'beside a scope')),
        text(3, 'schema'),
      ),
      text(66, 'beside all'),
    );
    expect(writeRequest(readRequest(whole))).toEqual(whole);
  });

  it('whose resource came in pieces has it in one', () => {
    const { groups } = readRequest(nest(1, nest(1, text(1, 'a')), nest(2, nest(2, text(5, 'x'))), nest(1, text(1, 'b'))));
    expect(Buffer.from(groups[0].resource)).toEqual(join(text(1, 'a'), text(1, 'b')));
  });

  it('puts groups of one resource under one, and those of others apart', () => {
    const { groups, beside } = readRequest(join(first, nest(1, nest(1, text(1, 'other')), nest(2, nest(2, text(5, 'four'))))));
    const more = { ...groups[0], records: [text(5, 'five')] };
    const written = readRequest(writeRequest({ groups: [groups[0], more, groups[1]], beside }));
    expect(written.groups.map((group) => [Buffer.from(group.resource).toString().slice(2), group.records.length])).toEqual([
      ['resource', 2],
      ['resource', 1],
      ['other', 1],
    ]);
    expect(written.groups[0].resource).toBe(written.groups[1].resource);
  });

  it('of any length has the lengths of its parts right', () => {
    for (const size of [0, 125, 126, 127, 128, 129, 16_381, 16_384, 70_000]) {
      const whole = nest(1, nest(2, nest(2, text(5, 'x'.repeat(size)))));
      expect(writeRequest(readRequest(whole))).toEqual(whole);
    }
  });
});

describe('the head of a span', () => {
  const wanted = new WantedKeys(['user.id', 'server.port', 'note']);
  const recordOf = (span: ReturnType<typeof makeSpan>) => readRequest(encodeTracesProtobuf([span])).groups[0].records[0];
  const spanWith = (attributes: Record<string, string | number | string[]>) => ({
    ...makeSpan({ id: 3, parent: 1, from: 5, to: 90, kind: 'client', failed: true }),
    attributes,
  });

  it('says the same as the whole', () => {
    const record = recordOf(spanWith({ 'user.id': 'guest-7', other: 'x' }));
    const whole = readSpan(record, {}, { name: '', version: '' });
    const head = readSpanHead(record, wanted);
    const { traceId, spanId, parentSpanId, name, kind, start } = whole;
    expect(head).toMatchObject({
      traceId,
      spanId,
      parentSpanId,
      name,
      kind,
      start,
      failed: true,
      durationNs: Number(whole.end - start),
    });
  });

  it('tells what was asked for, texts and numbers, short ones', () => {
    const record = recordOf(
      spanWith({ 'user.id': 'guest-7', 'server.port': 5432, note: 'n'.repeat(300), other: 'x', 'user.ia': 'alike' }),
    );
    expect(readSpanHead(record, wanted).told).toEqual({ 'user.id': 'guest-7', 'server.port': 5432 });
    expect(readSpanHead(recordOf(spanWith({ note: ['a', 'list'] })), wanted).told).toEqual({});
    expect(readSpanHead(recordOf(spanWith({ note: 'n'.repeat(200) })), wanted).told).toEqual({ note: 'n'.repeat(200) });
  });

  it('is read whichever way its tags and lengths are written', () => {
    const record = Buffer.from(recordOf(spanWith({ 'user.id': 'guest-7' })));
    // The tag of the name, and its length, as varints of two bytes each: longer than they need be, and right all the same.
    const at = record.indexOf(Buffer.from([0x2a, 'work 3'.length]));
    const wide = join(
      record.subarray(0, at),
      Uint8Array.from([0xaa, 0x00, 0x80 | 'work 3'.length, 0x00]),
      record.subarray(at + 2),
    );
    expect(readSpanHead(wide, wanted)).toEqual(readSpanHead(record, wanted));
  });

  it.each([
    ['a trace id of 130 bytes', nest(1, Buffer.alloc(130, 1))],
    ['a parent id of 9 bytes', nest(4, Buffer.alloc(9, 1))],
  ])('is refused with %s', (_, wrong) => {
    const refusals = new Refusals();
    expect(refusals.attempt(() => readSpanHead(join(recordOf(spanWith({})), wrong), wanted))).toBeUndefined();
    expect(refusals.count).toBe(1);
  });

  it.each([
    ['an attribute that runs past its end', nest(9, Uint8Array.from([0x0a, 0x7f, 0x61]))],
    ['a value that runs past its attribute', nest(9, text(1, 'k'), Uint8Array.from([0x12, 0x05, 0x0a, 0x01]))],
    ['half an event', Uint8Array.from([0x5a, 0x05, 0x09])],
    ['field number 0', Uint8Array.from([0x00, 0x01])],
  ])('is broken with %s', (_, wrong) => {
    const read = () => readSpanHead(join(recordOf(spanWith({})), wrong), wanted);
    expect(read).toThrow();
    expect(read).not.toThrow(RefusedRecord);
  });
});
