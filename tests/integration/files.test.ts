import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { simulateDay } from '../../demo/day.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import { type Installation, install } from '../support/installation.ts';
import { logs, metricsOfEachKind, profiles } from '../support/made/otlpSignals.ts';
import { getJson } from '../support/sending.ts';

const SPANS = simulateDay({ endMs: Math.floor(Date.now() / 60_000) * 60_000, hours: 0.1, seed: 5 });

let from: Installation;
let to: Installation;
const folder = mkdtempSync(join(tmpdir(), 'dusk-files-'));
const file = (name: string) => join(folder, name);
beforeAll(async () => {
  from = await install();
  to = await install();
});
afterAll(async () => {
  await from.stop();
  await to.stop();
  rmSync(folder, { recursive: true });
});

/** Runs one of the commands to its end. */
function dusk(...words: string[]): Promise<{ code: number | null; said: string }> {
  const [command, ...rest] = words;
  const child = spawn(process.execPath, ['--import', 'tsx', `src/server/commands/${command}.ts`, ...rest]);
  let said = '';
  child.stderr.on('data', (text) => {
    said += text;
  });
  child.stdout.on('data', (text) => {
    said += text;
  });
  return new Promise((resolve) => child.on('exit', (code) => resolve({ code, said })));
}

/** Keys in one order, whatever order they were written in. */
const inOrder = (_: string, value: unknown) =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
    ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
    : value;

/** All records of an export, each with its resource and scope, in an order of their own: how they were packed together does not matter. */
function recordsIn(text: string, lists: readonly [string, string, string]): string[] {
  const found: string[] = [];
  for (const line of text.split('\n').filter(Boolean)) {
    const json = JSON.parse(line);
    for (const outer of json[lists[0]])
      for (const inner of outer[lists[1]])
        for (const record of inner[lists[2]])
          found.push(JSON.stringify([outer.resource, inner.scope, record, json.dictionary ?? null], inOrder));
  }
  return found.sort();
}

describe('a packed file that is broken', () => {
  it.each([
    ['is cut off', (bytes: Buffer) => bytes.subarray(0, bytes.length >> 1)],
    ['is none', () => Buffer.from('nothing that was packed')],
  ])('says so where it %s, and ends in good order', async (_, broken) => {
    const lines = Array.from({ length: 500 }, (_, n) => JSON.stringify({ resourceSpans: [], n })).join('\n');
    writeFileSync(file('broken.jsonl.gz'), broken(gzipSync(lines)));
    const { code, said } = await dusk('import', file('broken.jsonl.gz'), '--to', from.url);
    expect(code).toBe(1);
    expect(said).toMatch(/broken\.jsonl\.gz: .*(unexpected end of file|incorrect header check)/);
    expect(said).toContain('1 file was not brought in whole');
  });
});

describe('a round trip', () => {
  it('of a protobuf file in, JSON lines out, in elsewhere and out again loses nothing', async () => {
    writeFileSync(file('traces.pb.gz'), gzipSync(encodeTracesProtobuf(SPANS)));
    expect(await dusk('import', file('traces.pb.gz'), '--to', from.url)).toMatchObject({ code: 0 });
    expect((await getJson(from.url, '/api/health')).spans).toBe(SPANS.length);
    expect((await dusk('export', '--signal', 'traces', '--url', from.url, '--out', file('out.jsonl.gz'))).code).toBe(0);
    expect((await dusk('import', file('out.jsonl.gz'), '--to', to.url)).code).toBe(0);
    expect((await dusk('export', '--signal', 'traces', '--url', to.url, '--out', file('again.jsonl'))).code).toBe(0);
    const lists = ['resourceSpans', 'scopeSpans', 'spans'] as const;
    const once = recordsIn(gunzipSync(readFileSync(file('out.jsonl.gz'))).toString(), lists);
    expect(once).toHaveLength(SPANS.length);
    expect(recordsIn(readFileSync(file('again.jsonl'), 'utf8'), lists)).toEqual(once);
    expect(await getJson(to.url, `/api/traces/${SPANS[0].traceId}`)).toEqual(
      await getJson(from.url, `/api/traces/${SPANS[0].traceId}`),
    );
  });

  it.each([
    [
      'logs',
      logs('holds', [
        { atMs: Date.now() - 5000, text: 'ahoy' },
        { atMs: Date.now(), body: { bytesValue: 'AQI=' } },
      ]),
      ['resourceLogs', 'scopeLogs', 'logRecords'],
    ],
    ['metrics', metricsOfEachKind('berths', Date.now()), ['resourceMetrics', 'scopeMetrics', 'metrics']],
    ['profiles', profiles('layout', Date.now()), ['resourceProfiles', 'scopeProfiles', 'profiles']],
  ] as const)('of %s is the same at the end', async (signal, sent, lists) => {
    // Written over many lines, as a file made by hand is.
    writeFileSync(file(`${signal}.json`), JSON.stringify(sent, null, 2));
    expect(await dusk('import', file(`${signal}.json`), '--to', from.url)).toMatchObject({ code: 0 });
    const { said } = await dusk('export', '--signal', signal, '--url', from.url);
    expect(recordsIn(said, lists)).toEqual(recordsIn(JSON.stringify(sent), lists));
  });
});

describe('files', () => {
  it('that were brought in already change nothing', async () => {
    const before = (await getJson(from.url, '/api/health')).spans;
    expect((await dusk('import', file('traces.pb.gz'), '--to', from.url)).code).toBe(0);
    expect((await getJson(from.url, '/api/health')).spans).toBe(before);
  });

  it('of profiles come in as what they are', async () => {
    writeFileSync(file('layout.folded'), 'main;solve (layout.ts:12) 7\nmain 3\n');
    expect(await dusk('import', file('layout.folded'), '--service', 'layout', '--to', to.url)).toMatchObject({ code: 0 });
    const { said } = await dusk('export', '--signal', 'profiles', '--url', to.url);
    const [line] = said.split('\n').filter((it) => it.includes('solve'));
    const { resourceProfiles } = JSON.parse(line);
    const [profile] = resourceProfiles[0].scopeProfiles[0].profiles;
    expect(Buffer.from(profile.originalPayload, 'base64').toString()).toBe('main;solve (layout.ts:12) 7\nmain 3\n');
  });

  it('that cannot be read are named with the reason, and the others come in', async () => {
    const own = mkdtempSync(join(folder, 'mixed-'));
    writeFileSync(join(own, 'a.json'), '{"resourceSpans": [');
    writeFileSync(join(own, 'b.png'), 'x');
    writeFileSync(join(own, 'c.json'), JSON.stringify(logs('mixed', [{ atMs: Date.now(), text: 'from the folder' }])));
    const { code, said } = await dusk('import', own, '--to', to.url);
    expect(code).toBe(1);
    expect(said).toMatch(/a\.json: .*not JSON/);
    expect(said).toContain('b.png: its ending is none of');
    expect(said).toMatch(/c\.json: 1 records/);
    expect((await dusk('export', '--signal', 'logs', '--url', to.url)).said).toContain('from the folder');
  });

  it('go nowhere when nobody is there, in words', async () => {
    expect(await dusk('export', '--signal', 'logs', '--url', 'http://127.0.0.1:9')).toMatchObject({
      code: 1,
      said: expect.stringContaining('cannot be reached'),
    });
    expect(await dusk('export', '--signal', 'songs', '--url', to.url)).toMatchObject({
      code: 1,
      said: expect.stringContaining('--signal must be'),
    });
    expect(await dusk('import')).toMatchObject({ code: 1, said: expect.stringContaining('name a file') });
  });
});
