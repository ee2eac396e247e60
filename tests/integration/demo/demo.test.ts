import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../../demo/day.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { getJson } from '../../support/sending.ts';

const MINUTE = 60_000;
const folder = mkdtempSync(join(tmpdir(), 'dusk-demo-'));
const running: ChildProcess[] = [];
let dusk: Installation;
let client: pg.Client;
beforeAll(async () => {
  dusk = await install();
  client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
});
afterAll(async () => {
  for (const child of running) child.kill();
  await client?.end();
  await dusk?.stop();
  rmSync(folder, { recursive: true });
});

function demo(...words: string[]): { child: ChildProcess; ended: Promise<{ code: number | null; said: string }> } {
  const child = spawn(process.execPath, ['--import', 'tsx', 'demo/main.ts', ...words]);
  running.push(child);
  let said = '';
  for (const stream of [child.stdout!, child.stderr!])
    stream.on('data', (text) => {
      said += text;
    });
  return { child, ended: new Promise((resolve) => child.on('exit', (code) => resolve({ code, said }))) };
}
const count = async (sql: string) => Number((await client.query(`SELECT (${sql}) AS count`)).rows[0].count);

describe('the demo command', () => {
  it('writes files that hold each record once, and the truth beside them', async () => {
    const end = '2026-05-02T15:00:00Z';
    const out = join(folder, 'files');
    expect((await demo('--out', out, '--hours', '0.1', '--end', end, '--seed', '4').ended).code).toBe(0);
    const lines = (name: string) =>
      readFileSync(join(out, `${name}.jsonl`), 'utf8')
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line));
    const spans = lines('traces').flatMap(({ resourceSpans }) =>
      resourceSpans.flatMap((of: { scopeSpans: { spans: { spanId: string; traceId: string }[] }[] }) =>
        of.scopeSpans.flatMap((scope) => scope.spans),
      ),
    );
    const expected = simulateDay({ endMs: Date.parse(end), hours: 0.1, seed: 4 });
    expect(spans.length).toBe(expected.length);
    for (const signal of ['logs', 'metrics', 'profiles']) expect(lines(signal).length).toBeGreaterThan(0);
    const truth = JSON.parse(readFileSync(join(out, 'truth.json'), 'utf8'));
    expect(truth.incidents).toHaveLength(12);
    expect(truth.incidents.find(({ id }: { id: string }) => id === 'berths-n2')).toMatchObject({
      place: 'berths',
      start: '2026-05-02T13:40:00.000Z',
      end: null,
      affected: ['POST /holds'],
    });
  });

  it('sends the last hours first, goes on in real time, and takes a fault that is switched on', async () => {
    const control = join(folder, 'demo-faults.json');
    const end = new Date(Math.floor(Date.now() / MINUTE) * MINUTE).toISOString();
    const { child } = demo(
      '--to',
      dusk.url,
      '--hours',
      '2.1',
      '--end',
      end,
      '--scale',
      '0.1',
      '--incidents',
      'none',
      '--live',
      '--control',
      control,
    );
    let told = '';
    child.stdout!.on('data', (text) => {
      told += text;
    });
    await until(
      async () => told,
      (it) => it.includes('recent'),
      170,
    );
    const since = Date.now();
    await until(
      async () => told,
      (it) => it.includes('done'),
      170,
    );
    expect(await count('SELECT count(*) FROM trace')).toBeGreaterThan(300);
    for (const table of ['db_block', 'db_statement', 'db_plan', 'change', 'inventory', 'visit', 'profile', 'metric_point'])
      expect.soft(await count(`SELECT count(*) FROM ${table}`), table).toBeGreaterThan(table === 'change' ? -1 : 0);
    expect((await getJson(dusk.url, '/api/intake/filling')).filling).toBeNull();

    const switching = demo('--inject', 'met-relay-key', '--for', '5m', '--data', folder);
    expect((await switching.ended).said).toContain('met-relay-key is on for 5m');
    const refused = () =>
      count(`SELECT count(*) FROM change WHERE title LIKE 'key of met-relay.example%' AND time_ns > ${since}000000`);
    await until(refused, (changes) => changes > 0, 60);
    await until(
      () => count(`SELECT count(*) FROM trace WHERE start_ns > ${since}000000`),
      (traces) => traces > 0,
      60,
    );
  });

  it.each([
    [['--inject', 'nonsense'], 'no fault is called "nonsense"; there are berths-n2'],
    [['--inject', 'berths-n2', '--for', 'long'], 'is no time such as'],
    [['--hours', '0'], '--hours 0 is not a number'],
    [['--seed', '1.5'], '--seed 1.5 is not a whole number'],
    [['--incidents', 'many'], 'say known, random, hosts or none'],
    [['--end', 'soon'], '--end soon is not a time'],
  ])('says what is wrong with %j', async (words, why) => {
    const { code, said } = await demo(...words, '--data', folder).ended;
    expect(code).toBe(1);
    expect(said).toContain(why);
  });
});
