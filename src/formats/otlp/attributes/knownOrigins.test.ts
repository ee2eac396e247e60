import { describe, expect, it } from 'vitest';
import { readResource, readScope } from './attributes.ts';
import { KnownOrigins } from './knownOrigins.ts';

const nested = (field: number, inside: Buffer) => Buffer.concat([Buffer.from([(field << 3) | 2, inside.length]), inside]);
const text = (field: number, value: string) => nested(field, Buffer.from(value));
/** A Resource message with one attribute. */
const resource = (key: string, value: string) => nested(1, Buffer.concat([text(1, key), nested(2, text(1, value))]));

describe('origins that were read before', () => {
  it('are the same object for the same bytes, wherever those lie', () => {
    const origins = new KnownOrigins();
    const first = origins.resource(resource('service.name', 'holds'));
    const within = Buffer.concat([Buffer.alloc(7, 9), resource('service.name', 'holds'), Buffer.alloc(3)]);
    expect(origins.resource(within.subarray(7, within.length - 3))).toBe(first);
    expect(first).toEqual({ 'service.name': 'holds' });
  });

  it('are told apart by any byte', () => {
    const origins = new KnownOrigins();
    const all = ['holds', 'fares', 'holdş', 'hold\u00fe', 'holdÃ¾'].map((it) => resource('service.name', it));
    expect(all.map((it) => origins.resource(it))).toEqual(all.map(readResource));
    expect(new Set(all.map((it) => origins.resource(it))).size).toBe(all.length);
  });

  it('of a scope and of a resource with the same bytes are not taken for each other', () => {
    const origins = new KnownOrigins();
    const bytes = Buffer.concat([text(1, 'pg'), text(2, '8')]);
    expect(origins.scope(bytes)).toEqual(readScope(bytes));
    expect(origins.scope(bytes)).toEqual({ name: 'pg', version: '8' });
    expect(() => origins.resource(bytes)).not.toThrow();
    expect(origins.scope(bytes)).toEqual({ name: 'pg', version: '8' });
  });

  it('are still right when there are more of them than are held', () => {
    const origins = new KnownOrigins();
    const made = Array.from({ length: 2_500 }, (_, at) => resource('service.instance.id', `pod-${at}`));
    for (const round of [1, 2])
      for (const [at, bytes] of made.entries())
        expect(origins.resource(bytes)['service.instance.id'], `round ${round}`).toBe(`pod-${at}`);
  });

  it('that are very large are right, and not held', () => {
    const origins = new KnownOrigins();
    const many = Array.from({ length: 400 }, (_, at) =>
      nested(1, Buffer.concat([text(1, `label-${at}`), nested(2, text(1, 'x'.repeat(20)))])),
    );
    const large = Buffer.concat(many);
    expect(large.length).toBeGreaterThan(8_192);
    expect(origins.resource(large)).toEqual(readResource(large));
    expect(origins.resource(large)).not.toBe(origins.resource(large));
  });

  it('of broken bytes fail each time, and are not held', () => {
    const origins = new KnownOrigins();
    const broken = Buffer.from([0x0a, 0x7f, 1]);
    for (let time = 0; time < 2; time++) expect(() => origins.resource(broken)).toThrow();
  });
});
