import type { CheckStep } from '../../src/formats/events/checkStep.ts';

/** What a run of a check came to. */
export interface CheckResult {
  readonly ok: boolean;
  readonly durationMs: number;
  readonly error: string;
  readonly steps: readonly CheckStep[];
  /** A JPEG as base64; empty without one. */
  readonly picture: string;
  readonly page: string;
  readonly traceId: string;
}
