import { mkdtempSync, writeFileSync } from 'node:fs';
import type { Profiler } from 'node:inspector';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { transformSync } from 'esbuild';
import { describe, expect, it } from 'vitest';
import { Places } from './places.ts';
import { cpuSamples, heapSamples } from './profiles.ts';
import { beginWait, endRequest, running, sampledRequests, seenRequests, withinRequest } from './registry.ts';
import { readSettings } from './settings.ts';

const folder = mkdtempSync(join(tmpdir(), 'dusk-probe-'));

describe('places', () => {
  const SOURCE = `interface Row {\n  name: string;\n}\n\nexport function first(rows: Row[]): string {\n  const [row] = rows;\n  return row.name.toUpperCase();\n}\n`;
  const { code } = transformSync(SOURCE, { loader: 'ts', sourcemap: 'inline', sourcefile: 'names.ts' });
  const file = join(folder, 'names.js');
  writeFileSync(file, code);
  const built = code.split('\n').findIndex((line) => line.includes('toUpperCase')) + 1;

  it('are those of the source, by its map, with its text', () => {
    const places = new Places(folder);
    expect(places.frame('first', pathToFileURL(file).href, built, 2)).toEqual({ name: 'first', file: 'names.ts', line: 7 });
    // Profiles tell no column.
    expect(places.frame('first', pathToFileURL(file).href, built).line).toBe(7);
    expect(places.source('names.ts')).toEqual({ file: 'names.ts', text: SOURCE });
  });

  it('are as they stand where there is no map, no file, or no code of the program', () => {
    const places = new Places(folder);
    const plain = join(folder, 'plain.js');
    writeFileSync(plain, 'one\n//# sourceMappingURL=nowhere.map\n');
    expect(places.frame('f', pathToFileURL(plain).href, 1)).toEqual({ name: 'f', file: 'plain.js', line: 1 });
    expect(places.frame('', 'file:///gone/a.js', 4)).toEqual({ name: '(anonymous)', file: '/gone/a.js', line: 4 });
    expect(places.frame('read', 'node:fs', 9)).toEqual({ name: 'read', file: 'node:fs', line: 9 });
    expect(places.frame('sort', '', 9)).toEqual({ name: 'sort', file: '', line: 0 });
  });
});

describe('a profile of V8', () => {
  const frame = (functionName: string, lineNumber = 0) => ({
    functionName,
    scriptId: '1',
    url: 'file:///x/a.js',
    lineNumber,
    columnNumber: 0,
  });
  const PROFILE: Profiler.Profile = {
    nodes: [
      { id: 1, callFrame: frame('(root)'), children: [2, 4] },
      { id: 2, callFrame: frame('outer', 9), children: [3] },
      {
        id: 3,
        callFrame: frame('inner', 19),
        positionTicks: [
          { line: 22, ticks: 3 },
          { line: 25, ticks: 1 },
        ],
      },
      { id: 4, callFrame: { ...frame('(idle)'), url: '' } },
    ],
    startTime: 1_000_000,
    endTime: 1_060_000,
    samples: [3, 3, 4, 3, 3, 4],
    timeDeltas: [0, 10_000, 10_000, 10_000, 10_000, 10_000],
  };
  const places = new Places('/x');
  const turns = { times: Float64Array.from([990, 1_025]), ids: Float64Array.from([7, 0]) };
  const known = new Map([[7, { traceId: 'a'.repeat(32), spanId: 'b'.repeat(16), operation: 'GET /a' }]]);
  const samples = cpuSamples(PROFILE, turns, known, places);

  it('has the time of its samples without what was idle, the line of the innermost frame by its ticks', () => {
    expect(samples.reduce((sum, { value }) => sum + value, 0)).toBe(40_000_000);
    const byLine = new Map<number, number>();
    for (const { frames, value } of samples) byLine.set(frames[0].line, (byLine.get(frames[0].line) ?? 0) + value);
    expect(Object.fromEntries(byLine)).toEqual({ 22: 30_000_000, 25: 10_000_000 });
    expect(samples[0].frames.map(({ name, line }) => [name, line])).toEqual([
      ['inner', 22],
      ['outer', 10],
    ]);
  });

  it('labels each sample with the request that the program worked on then', () => {
    const labelled = samples.filter(({ span }) => span).reduce((sum, { value }) => sum + value, 0);
    expect(labelled).toBe(20_000_000);
    expect(samples.find(({ span }) => span)).toMatchObject({ operation: 'GET /a', span: { traceId: 'a'.repeat(32) } });
  });

  it('of the heap has what each function holds itself', () => {
    const node = (name: string, selfSize: number, children: object[] = []) => ({
      callFrame: frame(name),
      selfSize,
      id: 1,
      children,
    });
    const found = heapSamples({ head: node('(root)', 0, [node('keep', 100, [node('make', 40)])]), samples: [] } as never, places);
    expect(found.map(({ frames, value }) => [frames.map(({ name }) => name).join(' '), value])).toEqual([
      ['keep', 100],
      ['make keep', 40],
    ]);
  });
});

describe('the registry', () => {
  it('knows what runs, what it waits for, and where that began', async () => {
    let seen = seenRequests(0);
    await withinRequest('GET /a', `00-${'c'.repeat(32)}-${'d'.repeat(16)}-01`, async (request) => {
      expect(seenRequests(0)[0].onCpu).toBe(true);
      const end = beginWait('database', 'pg', 'SELECT 1');
      await new Promise((done) => setTimeout(done, 5));
      seen = seenRequests(0, 'c'.repeat(32));
      end();
      expect(seenRequests(0)[0].wait).toBe('');
      endRequest(request!, 200);
    });
    expect(seen).toMatchObject([{ operation: 'GET /a', wait: 'database', statement: 'SELECT 1' }]);
    expect(seen[0].stack).toContain('probe.test.ts');
    expect(seen[0].ageMs).toBeGreaterThanOrEqual(4);
    expect(running.size).toBe(0);
  });

  it('writes out some of very many: the oldest, or evenly ones that stand for all', () => {
    const began = Array.from({ length: 1_000 }, () => withinRequest('GET /many', undefined, (request) => request!));
    expect(seenRequests(0).map(({ id }) => id)).toEqual(began.slice(0, 300).map(({ id }) => id));
    const sampled = sampledRequests();
    expect(sampled.length).toBeLessThanOrEqual(100);
    expect(sampled.length).toBeGreaterThanOrEqual(99);
    expect(sampled.reduce((sum, { standsFor }) => sum + standsFor, 0)).toBeCloseTo(1_000, -2);
    for (const request of began) endRequest(request, 200);
    const one = withinRequest('GET /one', undefined, (request) => request!);
    expect(sampledRequests()).toMatchObject([{ id: one.id, standsFor: 1 }]);
    endRequest(one, 200);
  });

  it('takes no wait for what belongs to no request', () => {
    beginWait('timer', 'timer')();
    expect(seenRequests(0)).toEqual([]);
  });
});

describe('settings', () => {
  it('are read by the names that OpenTelemetry has for them', () => {
    const it = readSettings(
      {
        OTEL_SERVICE_NAME: 'passes',
        OTEL_RESOURCE_ATTRIBUTES: 'service.version=3.9.0,service.instance.id=passes-1,deployment.environment.name=a%20b',
        OTEL_EXPORTER_OTLP_ENDPOINT: 'http://collector:4318/',
        OTEL_EXPORTER_OTLP_HEADERS: 'authorization=Bearer%20x',
        DUSK_PROBE_REPORT_MS: 'often',
      },
      undefined,
    );
    expect(it).toMatchObject({
      service: 'passes',
      version: '3.9.0',
      instance: 'passes-1',
      url: 'http://collector:4318',
      headers: { authorization: 'Bearer x' },
      reportMs: 10_000,
    });
    expect(it.resource['deployment.environment.name']).toBe('a b');
  });
});
