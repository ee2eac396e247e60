import { describe, expect, it } from 'vitest';
import { reachedAt } from './reachedAt.ts';

describe('the address by which the application was reached', () => {
  const at = (host: string | undefined) =>
    reachedAt({
      request: new Request('http://localhost/x', { headers: host === undefined ? {} : { host } }),
      url: new URL('http://localhost/x'),
    });

  it.each([
    ['lantern.example:4780', 'http://lantern.example:4780'],
    ['127.0.0.1:4990', 'http://127.0.0.1:4990'],
    ['[::1]:4990', 'http://[::1]:4990'],
  ])('is the host %s', (host, address) => expect(at(host)).toBe(address));

  it.each(['evil.example/path', 'a@b', '"><script>', ''])('is none that holds more than a host: %s', (host) =>
    expect(at(host)).toBe('http://localhost'),
  );

  it('is that of the address where no host is sent', () => expect(at(undefined)).toBe('http://localhost'));
});
