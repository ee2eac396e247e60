import { describe, expect, it } from 'vitest';
import { comesFrom, isLoopback, isOwnName } from './hostNames.ts';

describe('the name that is asked for', () => {
  it.each([
    ['localhost:4680', '127.0.0.1', true],
    ['127.0.0.1', '127.0.0.1', true],
    ['[::1]:4680', '127.0.0.1', true],
    ['evil.example:4680', '127.0.0.1', false],
    ['10.1.2.3', '127.0.0.1', false],
    ['10.1.2.3:4680', '0.0.0.0', true],
    ['[fd00::7]:4680', '::', true],
    ['evil.example', '0.0.0.0', false],
    ['', '0.0.0.0', false],
    ['LANTERN.osier.example', '0.0.0.0', true],
    ['lantern.osier.example.evil.example', '0.0.0.0', false],
  ])('%s is answered on %s: %s', (header, host, answered) => {
    expect(isOwnName(header, host, ['lantern.osier.example'])).toBe(answered);
  });

  it('is of this machine alone on loopback', () => {
    expect(['127.0.0.1', '127.9.9.9', '::1', 'localhost', '0.0.0.0', '::', '10.0.0.1'].map(isLoopback)).toEqual([
      true,
      true,
      true,
      true,
      false,
      false,
      false,
    ]);
  });
});

describe('where a request comes from', () => {
  const given = { isEncrypted: false, forwardedFor: '6.6.6.6, 10.0.0.9', forwardedProto: 'https' };

  it('is what a named proxy says, of which the last counts', () => {
    expect(comesFrom({ remote: '::ffff:10.0.0.1', ...given }, ['10.0.0.1'])).toEqual({ address: '10.0.0.9', isSecure: true });
  });

  it('is the connection itself for everybody else, whatever they say', () => {
    expect(comesFrom({ remote: '10.0.0.2', ...given }, ['10.0.0.1'])).toEqual({ address: '10.0.0.2', isSecure: false });
    expect(comesFrom({ remote: '10.0.0.2', ...given }, [])).toEqual({ address: '10.0.0.2', isSecure: false });
  });

  it('is the proxy where it says nothing that is an address', () => {
    expect(comesFrom({ remote: '10.0.0.1', isEncrypted: true, forwardedFor: 'x' }, ['10.0.0.1'])).toEqual({
      address: '10.0.0.1',
      isSecure: false,
    });
  });
});
