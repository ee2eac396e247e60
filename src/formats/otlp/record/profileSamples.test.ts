import { describe, expect, it } from 'vitest';
import type { StackSample } from '../../../core/profile/stackSample.ts';
import { toOtlpProfiles } from '../../profile/tables.ts';
import { readJsonRequest } from '../json/fromJson.ts';
import { Refusals } from '../wire/refusal.ts';
import { samplesInSpan } from './profileSamples.ts';

const TIME = 1_777_730_520_000_000_000n;
const span = { traceId: 'ab'.repeat(16), spanId: 'cd'.repeat(8) };
const other = { traceId: 'ab'.repeat(16), spanId: 'ef'.repeat(8) };
const solve = { name: 'solve', file: 'layout.ts', line: 12 };
const main = { name: 'main', file: '', line: 0 };

function kept(of: readonly { type: string; samples: readonly StackSample[] }[]) {
  const profiles = of.map(({ type, samples }) => ({ type, unit: 'nanoseconds', time: TIME, durationNs: 60n, samples }));
  return readJsonRequest(
    JSON.stringify(toOtlpProfiles([{ resource: { 'service.name': 'berths' }, profiles }])),
    'profiles',
    new Refusals(),
  );
}

describe('the samples of a span', () => {
  it('are those that name it, by profile, with their stacks as they were', () => {
    const request = kept([
      {
        type: 'cpu',
        samples: [
          { frames: [solve, main], value: 70, span },
          { frames: [main], value: 5, span: other },
          { frames: [main], value: 6 },
        ],
      },
      { type: 'wall', samples: [{ frames: [main], value: 8, span }] },
      { type: 'alloc_space', samples: [{ frames: [main], value: 9, span: other }] },
    ]);
    expect(samplesInSpan(request, span)).toEqual([
      { type: 'cpu', unit: 'nanoseconds', samples: [{ frames: [solve, main], value: 70, span }] },
      { type: 'wall', unit: 'nanoseconds', samples: [{ frames: [main], value: 8, span }] },
    ]);
  });

  it('are none where nothing names it', () => {
    expect(samplesInSpan(kept([{ type: 'cpu', samples: [{ frames: [main], value: 6 }] }]), span)).toEqual([]);
    expect(samplesInSpan(kept([]), span)).toEqual([]);
  });
});
