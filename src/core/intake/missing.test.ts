import { describe, expect, it } from 'vitest';
import { missingOf } from './missing.ts';

const good = {
  signal: 'logs',
  service: 'holds',
  version: '2.3.1',
  sdk: 'nodejs opentelemetry 2.0',
  records: 100,
  withTrace: 90,
  aheadMs: -4_000,
};

describe('what a sender leaves out', () => {
  it('is nothing when all is there', () => expect(missingOf(good)).toEqual([]));
  it.each([
    [{ version: '' }, 'no service.version: versions cannot be compared'],
    [{ service: 'unknown_service', version: '' }, 'no service.name: it cannot be distinguished from others'],
    [{ sdk: '' }, 'no telemetry.sdk attributes'],
    [{ withTrace: 0 }, 'no log record names its trace'],
    [{ withTrace: 3 }, 'few log records name their trace'],
    [{ aheadMs: 3_100 }, 'its clock is ahead by 3 s'],
    [{ aheadMs: -7_200_000 }, 'arrives 2 h after it happened: clock behind, or sent late'],
    [{ aheadMs: -5 * 86_400_000 }, 'arrives 5 days after it happened: clock behind, or sent late'],
  ])('%j', (change, words) => expect(missingOf({ ...good, ...change })).toEqual([words]));
  it('is not said of a handful of log records, nor of traces', () => {
    expect(missingOf({ ...good, records: 5, withTrace: 0 })).toEqual([]);
    expect(missingOf({ ...good, signal: 'metrics', withTrace: 0 })).toEqual([]);
  });
});
