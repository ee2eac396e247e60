import { describe, expect, it } from 'vitest';
import { isReachable, rangesOf } from './reachable.ts';

describe('a webhook', () => {
  it.each([
    ['93.184.216.34', true],
    ['2606:2800:220:1::1', true],
    ['127.0.0.1', false],
    ['127.8.8.8', false],
    ['0.0.0.0', false],
    ['10.0.0.5', false],
    ['172.16.0.1', false],
    ['172.32.0.1', true],
    ['192.168.1.1', false],
    ['169.254.169.254', false],
    ['100.64.0.1', false],
    ['::1', false],
    ['::', false],
    ['fe80::1', false],
    ['fd00:ec2::254', false],
    ['::ffff:169.254.169.254', false],
    ['::ffff:7f00:1', false],
    ['64:ff9b::a9fe:a9fe', false],
    ['2002:7f00:1::', false],
    ['224.0.0.1', false],
    ['localhost', false],
  ])('may be called at %s: %s', (address, may) => expect(isReachable(address, rangesOf([]))).toBe(may));

  it('may be called where the operator allows it, and nowhere beside', () => {
    const allowed = rangesOf(['10.1.0.0/16', '127.0.0.1', 'fd00::/64']);
    expect(
      ['10.1.2.3', '10.2.0.1', '127.0.0.1', '127.0.0.2', 'fd00::7', '::ffff:10.1.0.9'].map((it) => isReachable(it, allowed)),
    ).toEqual([true, false, true, false, true, true]);
  });

  it('is allowed by ranges alone', () => {
    for (const text of ['10.0.0.0/33', 'intern.example', '10.0.0.0/x', '', '::/129'])
      expect(() => rangesOf([text])).toThrow('not a range');
  });
});
