import { rmSync } from 'node:fs';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { type Cluster, removeCluster, startCluster } from '../../../src/server/postgres/cluster.ts';
import { closeConnections, connections, inTransaction, sqlState } from '../../../src/store/database/connection.ts';
import { binaryRows, copyOf, copyRows } from '../../../src/store/database/copyRows.ts';
import { dataFolder } from '../../support/installation.ts';

const folder = dataFolder();
let cluster: Cluster;

beforeAll(async () => {
  cluster = await startCluster(folder);
  process.env.DATABASE_URL = cluster.url;
  await connections().query('CREATE TABLE said (at int, what text, bytes bytea, list int[])');
  await connections().query('CREATE TABLE counted (day int PRIMARY KEY, much bigint, data bytea)');
});
afterAll(async () => {
  await closeConnections();
  await cluster.stop();
  removeCluster(folder);
  rmSync(folder, { recursive: true, force: true });
});
beforeEach(() => connections().query('TRUNCATE said, counted'));

const rows = async (text: string) => (await connections().query(text)).rows;
const said = (list: readonly [number, string | null, Uint8Array, number[]][]) =>
  copyOf('said', ['at', 'what', 'bytes', 'list'], list);
const counted = (list: readonly [number, bigint, Uint8Array][]) => ({
  table: 'counted',
  columns: ['day', 'much', 'data'],
  rows: binaryRows(list.map(([day, much, data]) => [{ int: day }, { bigint: much }, data])),
});

describe('rows of several tables in one question', () => {
  it('are all there, word for word, as text and binary', async () => {
    const texts = ['plain', 'tab\tand \\ slash', 'line\nbreak\r', 'fähre ⛴', '\\N', '', null];
    const bytes = Uint8Array.from({ length: 256 }, (_, at) => at);
    const large = Buffer.alloc(300_000, 7);
    await inTransaction((client) =>
      copyRows(client, [
        said(texts.map((text, at) => [at, text, bytes, [at, -at]])),
        counted([
          [-3, 2n ** 62n, bytes],
          [4, -(2n ** 62n), large],
        ]),
        said([[99, 'the last', new Uint8Array(0), []]]),
      ]),
    );
    const found = await rows('SELECT * FROM said ORDER BY at');
    expect(found.map(({ what }) => what)).toEqual([...texts, 'the last']);
    expect(found.every(({ bytes: it }, at) => it.equals(at < texts.length ? Buffer.from(bytes) : Buffer.alloc(0)))).toBe(true);
    expect(found[3].list).toEqual([3, -3]);
    const [first, second] = await rows('SELECT * FROM counted ORDER BY day');
    expect([first.day, first.much, second.day, second.much]).toEqual([-3, String(2n ** 62n), 4, String(-(2n ** 62n))]);
    expect([first.data.equals(Buffer.from(bytes)), second.data.equals(large)]).toEqual([true, true]);
  });

  it('may be none', async () => {
    await inTransaction((client) => copyRows(client, [said([]), { table: 'counted', columns: ['day'], rows: '' }]));
    expect(await rows('SELECT * FROM said')).toEqual([]);
  });

  const fine = () => said([[1, 'fine', new Uint8Array(0), []]]);
  it.each([
    ['one table is not there', () => ({ table: 'nowhere', columns: ['at'], rows: '1\n' }), '42P01'],
    ['a cell is of another kind', () => ({ table: 'said', columns: ['at'], rows: 'word\n' }), '22P02'],
    [
      'a key is there twice',
      () =>
        counted([
          [1, 1n, new Uint8Array(0)],
          [1, 2n, new Uint8Array(0)],
        ]),
      '23505',
    ],
  ])('are none when %s, and the connection goes on', async (_, broken, state) => {
    // Much still comes behind what is refused.
    const behind = said(Array.from({ length: 20_000 }, (_, at) => [at, 'x'.repeat(100), new Uint8Array(0), []]));
    for (let time = 0; time < 3; time++) {
      const failure = await inTransaction((client) => copyRows(client, [fine(), broken(), behind])).catch(
        (error: unknown) => error,
      );
      expect(sqlState(failure)).toBe(state);
    }
    expect(await rows('SELECT * FROM said')).toEqual([]);
    await inTransaction(async (client) => {
      await copyRows(client, [fine()]);
      const { rows: inside } = await client.query('SELECT what FROM said');
      expect(inside).toEqual([{ what: 'fine' }]);
    });
    expect(await rows('SELECT what FROM said')).toEqual([{ what: 'fine' }]);
  });

  it('fail when the connection ends under them', async () => {
    const failure = await inTransaction(async (client) => {
      const { rows: own } = await client.query('SELECT pg_backend_pid() AS pid');
      await connections().query('SELECT pg_terminate_backend($1)', [own[0].pid]);
      await copyRows(client, [fine()]);
    }).catch((error: unknown) => error);
    expect(failure).toBeInstanceOf(Error);
    await inTransaction((client) => copyRows(client, [fine()]));
    expect(await rows('SELECT what FROM said')).toEqual([{ what: 'fine' }]);
  });
});
