import { describe, expect, it } from 'vitest';
import { isForeignOrigin, isFrameworkPath, isFromForeignPage, plainPath } from './strangers.ts';

const link = { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'navigate', 'sec-fetch-dest': 'document' };
const image = { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'no-cors', 'sec-fetch-dest': 'image' };
const frame = { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'navigate', 'sec-fetch-dest': 'iframe' };

describe('what a page of another site asks for', () => {
  it.each([
    ['a link to a page', 'GET', '/traces', link, false],
    ['an image', 'GET', '/api/now/cost', image, true],
    ['a page in a frame', 'GET', '/traces', frame, true],
    ['a form', 'POST', '/api/rules', link, true],
    ['an answer that it opens by itself', 'GET', '/api/now', link, true],
    ['an answer that a person opens', 'GET', '/api/now', { ...link, 'sec-fetch-user': '?1' }, false],
    ['another port of this host', 'GET', '/api/now', { ...image, 'sec-fetch-site': 'same-site' }, true],
    ['our own page', 'GET', '/api/now', { ...image, 'sec-fetch-site': 'same-origin' }, false],
    ['a typed address', 'GET', '/api/now', { ...link, 'sec-fetch-site': 'none' }, false],
    ['a program', 'POST', '/v1/traces', {}, false],
    ['the provider that people sign in with', 'GET', '/api/account/callback/company', link, false],
  ] as const)('%s', (_, method, path, headers, isForeign) => expect(isFromForeignPage(method, path, headers)).toBe(isForeign));
});

it.each([
  ['/_image', true],
  ['/_image?href=x', true],
  ['/_server-islands/A', true],
  ['/_actions/x', true],
  ['/%5Fimage', true],
  ['//_image', true],
  ['/a/../_image', true],
  ['/_astro/%2e%2e/_image', true],
  ['/\\_image', true],
  ['http://localhost/_image', true],
  ['/services/_own', false],
  ['/%', false],
  ['/_astro/page.js', false],
  ['/traces', false],
])('%s belongs to the framework: %s', (path, isIt) => expect(isFrameworkPath(plainPath(path))).toBe(isIt));

describe('a change from another origin', () => {
  const hosts = ['lantern.osier.example:4680', 'lantern.osier.example'];
  it.each([
    ['PUT', '/api/rules', 'http://lantern.osier.example:4680', false],
    ['PUT', '/api/rules', undefined, false],
    ['PUT', '/api/rules', 'http://evil.example', true],
    ['PUT', '/api/rules', 'http://lantern.osier.example.evil.example', true],
    ['POST', '/v1/traces', 'null', true],
    ['GET', '/api/now', 'http://evil.example', false],
    ['POST', '/v1/visits/aaaaaaaa', 'http://shop.example', false],
  ] as const)('%s %s of %s: %s', (method, path, origin, isForeign) =>
    expect(isForeignOrigin(method, path, origin, hosts)).toBe(isForeign),
  );
});
