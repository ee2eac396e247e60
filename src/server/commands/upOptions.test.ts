import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { readUpOptions } from './upOptions.ts';

const folder = mkdtempSync(join(tmpdir(), 'dusk-options-'));
const cert = join(folder, 'cert.pem');
const key = join(folder, 'key.pem');
for (const file of [cert, key]) writeFileSync(file, '');
afterAll(() => rmSync(folder, { recursive: true }));

const NO_ACCOUNTS = { accounts: false, names: [], proxies: [], webhookAllow: [] };

it('has usual values', () => {
  expect(readUpOptions([])).toEqual({
    port: undefined,
    host: '127.0.0.1',
    data: '.dusk',
    demo: true,
    live: true,
    traceSelf: false,
    watchOwnDatabase: false,
    reach: NO_ACCOUNTS,
    fresh: false,
    yes: false,
  });
});

it('takes what it is told', () => {
  expect(
    readUpOptions([
      '--port',
      '5001',
      '--data',
      'elsewhere',
      '--no-demo',
      '--no-live',
      '--trace-self',
      '--watch-own-database',
      '--fresh',
      '--yes',
      '--host',
      '0.0.0.0',
    ]),
  ).toEqual({
    port: 5001,
    host: '0.0.0.0',
    data: 'elsewhere',
    demo: false,
    live: false,
    traceSelf: true,
    watchOwnDatabase: true,
    reach: { ...NO_ACCOUNTS, accounts: true },
    fresh: true,
    yes: true,
  });
});

describe('whoever can be reached by others', () => {
  it.each([
    [['--host', '127.0.0.1'], false],
    [['--host', '::1'], false],
    [['--host', 'localhost'], false],
    [['--webhook-allow', '10.0.0.0/8'], false],
    [['--host', '10.0.0.1'], true],
    [['--host', '::'], true],
    [['--accounts'], true],
    [['--address', 'https://lantern.example'], true],
    [['--name', 'lantern.example'], true],
    [['--proxy', '127.0.0.1'], true],
    [['--tls-cert', cert, '--tls-key', key], true],
  ])('asks who they are: %j %s', (args, asks) => expect(readUpOptions(args).reach.accounts).toBe(asks));

  it('has names, proxies and a certificate', () => {
    const args = ['--name', 'a.example', '--name', 'b.example', '--proxy', '::1', '--tls-cert', cert, '--tls-key', key];
    expect(readUpOptions([...args, '--address', 'https://lantern.example/']).reach).toEqual({
      accounts: true,
      address: 'https://lantern.example',
      names: ['a.example', 'b.example'],
      proxies: ['::1'],
      webhookAllow: [],
      tls: { cert, key },
    });
  });
});

it.each([
  [['--port', 'many'], '--port many'],
  [['--port', '70000'], '--port 70000'],
  [['--prot', '1'], '--prot'],
  [['extra'], 'extra'],
  [['--name', 'a b'], 'not the name of a host'],
  [['--name', 'http://a'], 'not the name of a host'],
  [['--proxy', 'proxy.example'], 'not an IP address'],
  [['--address', 'lantern.example'], 'not an address'],
  [['--address', 'https://a.example/path'], 'not an address'],
  [['--address', 'https://user@a.example'], 'not an address'],
  [['--tls-cert', cert], 'go together'],
  [['--tls-cert', cert, '--tls-key', '/nowhere'], 'no file /nowhere'],
  [['--webhook-allow', '10.0.0.0/99'], 'not a range'],
])('does not take %j', (args, why) => {
  expect(() => readUpOptions(args)).toThrow(why);
});
