import { gzipSync } from 'node:zlib';
import { Profile, StringTable } from 'pprof-format';
import { describe, expect, it } from 'vitest';
import { readJsonRequest } from '../otlp/json/fromJson.ts';
import { requestToJson } from '../otlp/json/toJson.ts';
import { readProfileHead, readTables } from '../otlp/record/profileRecord.ts';
import { Refusals } from '../otlp/wire/refusal.ts';
import { dictionaryOf } from '../otlp/wire/request.ts';
import { readCpuProfile } from './cpuProfile.ts';
import { readFolded, UnreadableProfile } from './folded.ts';
import { readPprof } from './pprof.ts';
import { type ProfileSource, toOtlpProfiles } from './tables.ts';

const TIME = 1_777_730_520_000_000_000n;
const solve = { name: 'solve', file: 'layout.ts', line: 12 };
const main = { name: 'main', file: '', line: 0 };

describe('folded stacks', () => {
  it('give the innermost frame first', () => {
    const { samples, type } = readFolded('main;solve (layout.ts:12) 7\n\nmain 3\n', TIME);
    expect(type).toBe('samples');
    expect(samples).toEqual([
      { frames: [solve, main], value: 7 },
      { frames: [main], value: 3 },
    ]);
  });
  it.each(['main;solve', 'main 1.5', ''])('are not "%s"', (text) =>
    expect(() => readFolded(text, TIME)).toThrow(UnreadableProfile),
  );
});

describe('a .cpuprofile', () => {
  const nodes = [
    { id: 1, callFrame: { functionName: '(root)', url: '', lineNumber: -1 }, children: [2] },
    { id: 2, callFrame: { functionName: 'main', url: 'a.js', lineNumber: 0 }, children: [3] },
    { id: 3, callFrame: { functionName: '', url: 'b.js', lineNumber: 9 } },
  ];
  const json = (change: object = {}) =>
    JSON.stringify({ nodes, startTime: 1000, endTime: 4000, samples: [2, 3, 3], timeDeltas: [0, 1000, 500], ...change });
  it('weighs each frame by the time until the next sample', () => {
    const profile = readCpuProfile(json(), TIME);
    expect([profile.time, profile.durationNs]).toEqual([TIME - 3_000_000n, 3_000_000n]);
    expect(profile.samples).toEqual([
      { frames: [{ name: 'main', file: 'a.js', line: 1 }], value: 1_000_000 },
      {
        frames: [
          { name: '(anonymous)', file: 'b.js', line: 10 },
          { name: 'main', file: 'a.js', line: 1 },
        ],
        value: 500_000,
      },
    ]);
  });
  it.each([json({ samples: [9] }), json({ nodes: [] }), '{', '{}'])('is not %s', (text) =>
    expect(() => readCpuProfile(text, TIME)).toThrow(UnreadableProfile),
  );
});

describe('pprof', () => {
  const strings = new StringTable();
  const at = (text: string) => strings.dedup(text);
  const bytes = new Profile({
    stringTable: strings,
    sampleType: [
      { type: at('samples'), unit: at('count') },
      { type: at('cpu'), unit: at('nanoseconds') },
    ],
    function: [
      { id: 1, name: at('main'), filename: at('') },
      { id: 2, name: at('solve'), filename: at('layout.ts') },
    ],
    location: [
      { id: 1, line: [{ functionId: 1, line: 0 }] },
      { id: 2, line: [{ functionId: 2, line: 12 }] },
      { id: 3, address: 255 },
    ],
    sample: [
      {
        locationId: [2, 1],
        value: [3, 30_000_000],
        label: [
          { key: at('trace_id'), str: at('0af7651916cd43dd8448eb211c80319c') },
          { key: at('span_id'), str: at('b7ad6b7169203331') },
        ],
      },
      { locationId: [3], value: [1, 0] },
    ],
    timeNanos: TIME,
    durationNanos: 10_000_000_000n,
  }).encode();

  it('is a profile for each kind of value, gzip or plain', () => {
    const span = { traceId: '0af7651916cd43dd8448eb211c80319c', spanId: 'b7ad6b7169203331' };
    for (const file of [bytes, gzipSync(bytes)]) {
      const profiles = readPprof(file, 5n);
      expect(profiles.map(({ type, unit, time, durationNs, samples }) => ({ type, unit, time, durationNs, samples }))).toEqual([
        {
          type: 'samples',
          unit: 'count',
          time: TIME,
          durationNs: 10_000_000_000n,
          samples: [
            { frames: [solve, main], value: 3, span },
            { frames: [{ name: '0xff', file: '', line: 0 }], value: 1 },
          ],
        },
        {
          type: 'cpu',
          unit: 'nanoseconds',
          time: TIME,
          durationNs: 10_000_000_000n,
          samples: [{ frames: [solve, main], value: 30_000_000, span }],
        },
      ]);
      expect(Buffer.from(profiles[0].original!.bytes)).toEqual(Buffer.from(file));
    }
  });
  it('is not any other file', () => expect(() => readPprof(Buffer.from('ahoy there'), 5n)).toThrow(UnreadableProfile));
});

it('profiles as OTLP can be read as the door reads them, and written back the same', () => {
  const span = { traceId: '0af7651916cd43dd8448eb211c80319c', spanId: 'b7ad6b7169203331' };
  const source: ProfileSource = {
    type: 'cpu',
    unit: 'nanoseconds',
    time: TIME,
    durationNs: 5n,
    samples: [
      { frames: [solve, main], value: 7, span },
      { frames: [main], value: 3 },
      { frames: [solve, main], value: 1 },
    ],
  };
  const json = toOtlpProfiles([{ resource: { 'service.name': 'holds' }, profiles: [source] }]);
  const refusals = new Refusals();
  const request = readJsonRequest(JSON.stringify(json), 'profiles', refusals);
  const tables = readTables(dictionaryOf(request));
  expect(tables).toEqual({ strings: ['', 'cpu', 'nanoseconds', 'solve', 'layout.ts', 'main'], stacks: 3, links: 2 });
  expect(readProfileHead(request.groups[0].records[0], tables)).toEqual({
    time: TIME,
    durationNs: 5,
    type: 'cpu',
    unit: 'nanoseconds',
    samples: 3,
    total: 11,
    linked: 1,
  });
  expect(JSON.parse(JSON.stringify(requestToJson(request, 'profiles')))).toEqual(json);
});
