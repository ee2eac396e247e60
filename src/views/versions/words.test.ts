import { describe, expect, it } from 'vitest';
import type { ServiceVersions } from '../../api/services/versions.ts';
import { basisWords, growthWords, timesWords, type VersionOperation, versionName, versionsHeadline } from './words.ts';

const operation = (of: Partial<VersionOperation>): VersionOperation =>
  ({
    operation: 'POST /holds',
    kind: 'server',
    verdict: 'same',
    by: 'time',
    times: { value: 1, range: [0.9, 1.1] },
    failing: { value: 0, range: [0, 0] },
    basis: 'beside',
    held: { older: 9000, newer: 800 },
    ...of,
  }) as unknown as VersionOperation;
const answer = (operations: VersionOperation[], of: Partial<ServiceVersions> = {}): ServiceVersions =>
  ({
    versions: [{ version: '4.6.2' }, { version: '4.7.0' }],
    operations,
    older: '4.6.2',
    newer: '4.7.0',
    ...of,
  }) as unknown as ServiceVersions;
const worse = operation({ verdict: 'worse', times: { value: 12.2, range: [9, 15] } });

describe('the headline of two versions', () => {
  it('is what got worse, before what got better', () => {
    const better = operation({ operation: 'GET /holds', verdict: 'better' });
    expect(versionsHeadline('berths', answer([better, worse]))).toBe(
      'berths 4.7.0 is worse than 4.6.2: POST /holds takes 12 × as long',
    );
    expect(versionsHeadline('berths', answer([worse, worse, worse]))).toMatch(/, and 2 more$/);
    expect(versionsHeadline('berths', answer([better]))).toMatch(/^berths 4\.7\.0 is better than 4\.6\.2: GET \/holds/);
  });

  it('is by failures where more of them fail', () => {
    const failing = operation({ verdict: 'worse', by: 'failures', failing: { value: 0.03 } as VersionOperation['failing'] });
    expect(versionsHeadline('berths', answer([failing]))).toMatch(/POST \/holds fails \+3\.?0? % of the time$/);
  });

  it('speaks of what it handles, not of what it calls', () => {
    const called = operation({ kind: 'client', verdict: 'worse' } as Partial<VersionOperation>);
    expect(versionsHeadline('berths', answer([called, operation({})]))).toBe('berths 4.7.0 makes no difference to 4.6.2');
  });

  it('says of how many operations it can not be told, and when of none', () => {
    const unknown = operation({ verdict: 'unknown' });
    expect(versionsHeadline('berths', answer([operation({}), unknown]))).toMatch(
      /as far as can be told; 1 of 2 operations have too little data$/,
    );
    expect(versionsHeadline('berths', answer([unknown]))).toBe('Too little data to tell berths 4.7.0 from 4.6.2');
  });

  it('says when there are no two versions', () => {
    const alone = { older: null, newer: '4.7.0', versions: [{ version: '4.7.0' }] } as unknown as Partial<ServiceVersions>;
    expect(versionsHeadline('berths', answer([], alone))).toBe('Only berths 4.7.0 was at work');
    const unnamed = { older: null, newer: null, versions: [{ version: '' }] } as unknown as Partial<ServiceVersions>;
    expect(versionsHeadline('berths', answer([], unnamed))).toBe('berths does not say which version it is');
    expect(versionsHeadline('berths', answer([], { versions: [] }))).toBe('berths handled no calls in this window');
  });
});

it('writes figures of versions', () => {
  expect([1.336, 12.2].map(timesWords)).toEqual(['1.34 ×', '12 ×']);
  expect(growthWords(0.0002)).toBe('± 0 %');
  expect(growthWords(-0.24)).toBe('−24 %');
  expect(versionName('')).toBe('no version');
  expect(basisWords(operation({}))).toMatch(/^side by side, in the same minutes: 9.?000 and 800 calls$/);
  expect(basisWords(operation({ basis: 'after' } as unknown as Partial<VersionOperation>))).toMatch(/^one after the other/);
});
