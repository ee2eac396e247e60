import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { prettyJson, valueGroups } from './groups.ts';

describe('attributes', () => {
  it('stand under their subject, a program’s own first', () => {
    const groups = valueGroups({
      'http.route': '/holds',
      'db.system.name': 'postgresql',
      'ferry.vehicle_class': 'coach',
      'url.path': '/holds',
      'server.address': 'berths',
      'error.type': 'NoRoom',
      dbx: 1,
    });
    expect(groups.map(({ title, entries }) => [title, entries.map(([key]) => key)])).toEqual([
      ['Own', ['ferry.vehicle_class', 'dbx']],
      ['Errors', ['error.type']],
      ['Database', ['db.system.name']],
      ['HTTP', ['http.route', 'url.path']],
      ['Network', ['server.address']],
    ]);
  });

  it('are all there, once', () => {
    const key = fc.oneof(fc.string(), fc.constantFrom('http.a', 'db.b', 'rpc.c', 'messaging.d', 'code.e', 'network.f'));
    fc.assert(
      fc.property(fc.dictionary(key, fc.integer()), (attributes) => {
        const shown = valueGroups(attributes).flatMap(({ entries }) => entries.map(([name]) => name));
        expect(shown.sort()).toEqual(Object.keys(attributes).sort());
      }),
    );
  });
});

describe('a text', () => {
  it('that is JSON is written with indents, any other is left', () => {
    expect(prettyJson(' {"a":[1,2]}')).toBe('{\n  "a": [\n    1,\n    2\n  ]\n}');
    expect(prettyJson('[]')).toBe('[]');
    for (const text of ['', '7', '"a"', '{a}', '[1', 'plain', '{"a":1} and more']) expect(prettyJson(text)).toBeUndefined();
  });
});
