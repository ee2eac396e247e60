import { expect, it } from 'vitest';
import { MalformedRequest, Refusals } from '../formats/otlp/wire/refusal.ts';
import { readRequest } from '../formats/otlp/wire/request.ts';
import { withoutCrowded } from './crowdedRecords.ts';

const NOTHING = new Uint8Array(0);
/** Field 11 of a span, an event of no bytes, so many times. */
const events = (count: number) => Buffer.alloc(2 * count, Uint8Array.of((11 << 3) | 2, 0));
const group = (records: Uint8Array[], resource: Uint8Array = NOTHING) => ({
  resource,
  besideResource: NOTHING,
  scope: NOTHING,
  besideScope: NOTHING,
  records,
});

it('refuses a record of too many fields, and keeps the others', () => {
  const refusals = new Refusals();
  const fine = [events(2), events(32_000), NOTHING];
  const request = { groups: [group([...fine, events(33_000)]), group([events(5)])], beside: NOTHING };
  const left = withoutCrowded(request, 'traces', refusals);
  expect(left.groups.map(({ records }) => records.length)).toEqual([3, 1]);
  expect(refusals.toString()).toBe('1 × Span has too many fields');
});

it('leaves a request as it is that has none', () => {
  const request = {
    groups: [group([events(2), Buffer.alloc(128 * 782, 0).fill(Uint8Array.of(0x2a, 126, ...Buffer.alloc(126)))])],
    beside: NOTHING,
  };
  expect(withoutCrowded(request, 'traces', new Refusals())).toBe(request);
});

it('refuses the whole when it is a resource', () => {
  // Field 1 of a resource, an attribute of no bytes.
  const resource = Buffer.alloc(70_000, Uint8Array.of((1 << 3) | 2, 0));
  expect(() => withoutCrowded({ groups: [group([], resource)], beside: NOTHING }, 'traces', new Refusals())).toThrow(
    MalformedRequest,
  );
});

it('a request of more records than can be borne is refused before they are made', () => {
  // Records of no bytes in one scope of one resource.
  const records = Buffer.alloc(2 * 250_000, Uint8Array.of((2 << 3) | 2, 0));
  const within = (field: number, bytes: Uint8Array) => {
    const length: number[] = [];
    for (let rest = bytes.length; ; rest = Math.floor(rest / 128)) {
      if (rest < 128) {
        length.push(rest);
        break;
      }
      length.push((rest % 128) | 128);
    }
    return Buffer.concat([Uint8Array.of((field << 3) | 2, ...length), bytes]);
  };
  expect(() => readRequest(within(1, within(2, records)))).toThrow('send smaller batches');
  expect(readRequest(within(1, within(2, records.subarray(0, 400_000)))).groups[0].records).toHaveLength(200_000);
});
