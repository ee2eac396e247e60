import { Reader } from 'protobufjs/minimal.js';
import { describe, expect, it } from 'vitest';
import type { Frame, StackSample } from '../../core/profile/stackSample.ts';
import { readCpuProfile } from './cpuProfile.ts';
import { readFolded } from './folded.ts';
import { readPprof } from './pprof.ts';
import { type WrittenProfile, writeCpuProfile, writeFolded, writePprof } from './writeProfile.ts';

const frame = (name: string, line: number): Frame => ({ name, file: 'src/a.js', line });
const samples: StackSample[] = [
  { frames: [frame('fits', 41), frame('solve', 24), frame('main', 3)], value: 300_000_000 },
  { frames: [frame('solve', 20), frame('main', 3)], value: 50_000_000 },
  { frames: [frame('main', 3)], value: 10_000_000 },
];
const PROFILE: WrittenProfile = {
  type: 'cpu',
  unit: 'nanoseconds',
  period: 10_000_000,
  timeNs: 1_770_000_000_000_000_000n,
  durationNs: 60_000_000_000n,
  samples,
};
const TOTAL = 360_000_000;

/** The values of all samples of a pprof file, read by the field numbers of profile.proto alone. */
function valuesOf(bytes: Uint8Array): number[] {
  const reader = Reader.create(bytes);
  const values: number[] = [];
  while (reader.pos < reader.len) {
    const tag = reader.uint32();
    if (tag >>> 3 !== 2) {
      reader.skipType(tag & 7);
      continue;
    }
    const end = reader.uint32() + reader.pos;
    while (reader.pos < end) {
      const inner = reader.uint32();
      if (inner >>> 3 !== 2) reader.skipType(inner & 7);
      else if ((inner & 7) === 2) {
        const last = reader.uint32() + reader.pos;
        while (reader.pos < last) values.push(Number(reader.int64()));
      } else values.push(Number(reader.int64()));
    }
  }
  return values;
}

describe('a profile that was written', () => {
  it('as pprof has the same totals for a reader that knows the format alone', () =>
    expect(valuesOf(writePprof(PROFILE))).toEqual(samples.map(({ value }) => value)));

  it('as pprof is read back whole', () => {
    const [read] = readPprof(writePprof(PROFILE), 0n);
    expect(read).toMatchObject({
      type: 'cpu',
      unit: 'nanoseconds',
      time: PROFILE.timeNs,
      durationNs: PROFILE.durationNs,
      samples,
    });
  });

  it('as folded stacks is read back whole, whatever names there are', () => {
    const odd = [{ frames: [{ name: 'a;b', file: 'my file.js', line: 2 }, frame('main', 3)], value: 4 }];
    expect(readFolded(writeFolded({ samples }), 0n).samples).toEqual(samples);
    expect(readFolded(writeFolded({ samples: odd }), 0n).samples).toMatchObject([
      { value: 4, frames: [{ name: 'a,b' }, { name: 'main' }] },
    ]);
  });

  it('as .cpuprofile has the same time in each stack', () => {
    const read = readCpuProfile(writeCpuProfile(PROFILE), 0n);
    expect(read.samples.reduce((sum, { value }) => sum + value, 0)).toBe(TOTAL);
    expect(read.samples.map(({ frames, value }) => [frames[0].name, value])).toEqual(
      samples.map(({ frames, value }) => [frames[0].name, value]),
    );
  });
});
