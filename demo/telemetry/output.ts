import type { InstrumentationScope, Span } from '../../src/core/trace/span.ts';
import type { OutgoingLog } from '../../src/formats/otlp/record/encodeLogs.ts';
import type { OutgoingPoint } from '../../src/formats/otlp/record/encodeMetrics.ts';
import type { ProfileSource } from '../../src/formats/profile/tables.ts';

/** A profile with whose it is. */
export interface OutgoingProfile {
  readonly resource: Readonly<Record<string, string>>;
  readonly profile: ProfileSource;
}

/** Takes what the company tells of itself. */
export interface Output {
  readonly span: (span: Span) => void;
  readonly log: (record: OutgoingLog) => void;
  readonly point: (point: OutgoingPoint) => void;
  readonly profile: (profile: OutgoingProfile) => void;
}

export const SCOPE: InstrumentationScope = { name: 'osier-reach/telemetry', version: '1.9.0' };
