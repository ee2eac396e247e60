import { expect, it } from 'vitest';
import { concerns } from './concerns.ts';

const change = (title: string, service = '') => ({ title, service });

it.each([
  [change('4.7.0 on berths-1', 'berths'), 'berths'],
  [change('manifests: pool of 10 connections an instance set to 1', 'database watch'), 'manifests'],
  [change('nightly backup of manifest-db', 'database watch'), 'manifest-db'],
  [change('key of met-relay.example rotated'), 'met-relay.example'],
  // A part of another name is no name.
  [change('manifests-archive 2.0 on archive-1'), undefined],
  [change('MANIFESTS restarted'), 'manifests'],
  [change('harmless'), undefined],
])('%j concerns %s', (it, name) => {
  expect(concerns(it, ['', 'berths', 'manifests', 'manifest-db', 'met-relay.example'])).toBe(name);
});
