import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DIMENSIONS } from '../core/database/sessionColumns.ts';
import type { AddressedOptions } from '../ui/state/usePageOptions.ts';
import { FINDING_OPTIONS } from './code/findingOptions.ts';
import { PROFILE_OPTIONS } from './code/profileOptions.ts';
import { RUNNING_OPTIONS } from './code/running/runningOptions.ts';
import { ADDRESSED as CONTRAST } from './contrast/options.ts';
import { LIST_OPTIONS, SERVER_OPTIONS } from './databases/options.ts';
import { ADDRESSED as LOGS } from './logs/options.ts';
import { HOST_OPTIONS } from './machines/hostOptions.ts';
import { LAYERS_OPTIONS } from './machines/layersOptions.ts';
import { POD_OPTIONS } from './machines/pods/podOptions.ts';
import { LEAST_SHARES, ADDRESSED as MAP } from './map/options.ts';
import { POOL_OPTIONS, TARGETS } from './pools/options.ts';
import { ADDRESSED as STITCHED } from './stitched/options.ts';
import { ADDRESSED as VERSIONS } from './versions/options.ts';
import { VISITORS_OPTIONS } from './visitors/visitorsOptions.ts';

/* What a page shows stands in its address: whoever gets the link sees the same, whatever names senders have given. */

const text = fc
  .oneof(fc.constantFrom('', 'a, b', 'x|y', '50 %', '%2C', 'a&b=c#d', 'a+b'), fc.string({ maxLength: 12, unit: 'grapheme' }))
  .filter((it) => it.isWellFormed());
const name = text.filter((it) => it !== '');
const names = fc.array(name, { maxLength: 3 });
const moment = fc.option(fc.integer({ min: 1, max: 2e12 }), { nil: undefined });
const traceId = fc.constantFrom('', 'f'.repeat(32));
const texts = <Key extends string>(...keys: Key[]) =>
  fc.record(Object.fromEntries(keys.map((key) => [key, text])) as Record<Key, typeof text>);

// biome-ignore lint/suspicious/noExplicitAny: each page has options of its own
type Case = readonly [page: string, addressed: AddressedOptions<any>, options: fc.Arbitrary<object>];
const CASES: readonly Case[] = [
  ['a finding', FINDING_OPTIONS, texts('finding')],
  [
    'a profile',
    PROFILE_OPTIONS,
    fc.record({
      ...Object.fromEntries(
        ['service', 'version', 'against', 'instance', 'operation', 'span', 'function', 'find'].map((it) => [it, text]),
      ),
      type: name,
      direction: fc.constantFrom('down', 'up'),
      by: fc.constantFrom('function', 'line', 'package'),
    }),
  ],
  ['a running request', RUNNING_OPTIONS, fc.record({ request: traceId, of: text, instance: text })],
  [
    'a contrast',
    CONTRAST,
    fc.record({
      how: fc.constantFrom('before', 'slow', 'failed', 'sets'),
      over: fc.constantFrom('', '1200000'),
      a: text,
      b: text,
      aFrom: text,
      aTo: text,
      outcome: fc.constantFrom('auto', 'duration', 'failures'),
      swap: fc.constantFrom('yes', 'no'),
      peel: names,
      kept: fc.array(names, { maxLength: 2 }),
    }),
  ],
  ['all databases', LIST_OPTIONS, fc.record({ server: text, hidden: names })],
  [
    'a database',
    SERVER_OPTIONS,
    fc.record({
      trail: fc.uniqueArray(fc.record({ dimension: fc.constantFrom(...DIMENSIONS), value: name }), {
        selector: ({ dimension }) => dimension,
        maxLength: 3,
      }),
      by: fc.constantFrom(...DIMENSIONS),
      at: moment,
    }),
  ],
  [
    'lines',
    LOGS,
    fc.record({
      text,
      severity: fc.subarray(['17-20', '13-16']),
      shape: names,
      without: names,
      as: fc.constantFrom('shapes', 'lines'),
      order: fc.constantFrom('newest', 'oldest'),
      sort: fc.constantFrom('new', 'moved', 'most'),
      open: text,
      line: text,
      wrap: fc.boolean(),
      columns: names,
    }),
  ],
  ['a host', HOST_OPTIONS, fc.record({ at: moment, find: text })],
  ['layers', LAYERS_OPTIONS, fc.record({ layersOf: text, journey: text, at: moment, machine: text })],
  ['pods', POD_OPTIONS, texts('pattern', 'label', 'machine', 'find', 'by', 'object', 'kind', 'fields')],
  [
    'the map',
    MAP,
    fc.record({
      level: fc.constantFrom('services', 'operations'),
      of: fc.constantFrom('all', 'slow', 'failed'),
      clientErrors: fc.constantFrom('shown', 'hidden'),
      group: fc.constantFrom('none', 'namespace'),
      open: names,
      around: text,
      up: fc.integer({ min: 0, max: 9 }),
      down: fc.integer({ min: 0, max: 9 }),
      least: fc.constantFrom(...LEAST_SHARES),
      changed: fc.boolean(),
      as: fc.constantFrom('picture', 'table'),
      direction: fc.constantFrom('right', 'down'),
      node: text,
      trace: traceId,
    }),
  ],
  [
    'pools',
    POOL_OPTIONS,
    fc.record({
      service: text,
      pool: text,
      tried: fc.option(fc.integer({ min: 1, max: 500 }), { nil: undefined }),
      target: fc.constantFrom(...TARGETS),
    }),
  ],
  ['stitched lines', STITCHED, fc.record({ key: text, step: name, chosen: text, group: text })],
  ['versions', VERSIONS, fc.record({ older: text, newer: text, inner: fc.boolean(), marked: names })],
  [
    'visitors',
    VISITORS_OPTIONS,
    fc.record({
      ...Object.fromEntries(['app', 'page', 'order', 'steps', 'within', 'per', 'step', 'group'].map((it) => [it, text])),
      who: fc.constantFrom('', 'version=6.2;device=Fennel%207'),
      target: fc.integer({ min: 100, max: 60_000 }),
      view: fc.constantFrom('waiting', 'errors', 'struggle'),
    }),
  ],
];

/** The address after a change, as the page that it is of writes it, from any address before. */
function addressOf({ names: own, write }: Case[1], options: object, before = ''): URL {
  const url = new URL(`http://lantern.example/page?last=60min${before}`);
  const written = write(options);
  for (const key of own) {
    const value = written[key];
    if (value === undefined) url.searchParams.delete(key);
    else url.searchParams.set(key, value);
  }
  return new URL(url.href);
}

describe.each(CASES)('what is looked at of %s', (_, addressed, options) => {
  it('is the same for who gets the address', () => {
    fc.assert(
      fc.property(options, (it) => {
        const url = addressOf(addressed, it);
        expect(addressed.read(url.searchParams)).toEqual(it);
        expect(url.searchParams.get('last')).toBe('60min');
      }),
    );
  });

  it('is as usual in an address without any of it, and then leaves nothing in the address', () => {
    const usual = addressed.read(new URLSearchParams());
    const before = addressed.names.map((key) => `&${key}=x`).join('');
    expect(addressOf(addressed, usual, before).search).toBe('?last=60min');
  });

  it('stands in parameters that the page knows as its own', () => {
    fc.assert(
      fc.property(options, (it) => {
        expect(addressed.names).toEqual(expect.arrayContaining(Object.keys(addressed.write(it))));
      }),
    );
  });

  it('is something that can be shown, whatever somebody types into the address', () => {
    const typed = fc.array(fc.tuple(fc.constantFrom(...addressed.names), text), { maxLength: 6 });
    fc.assert(
      fc.property(typed, (pairs) => {
        const shown = addressed.read(new URLSearchParams(pairs.map(([key, value]) => [key, value])));
        // What is shown is what its own address shows.
        expect(addressed.read(addressOf(addressed, shown).searchParams)).toEqual(shown);
      }),
    );
  });
});
