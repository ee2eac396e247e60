import { group } from 'd3-array';
import type { Span } from '../../src/core/trace/span.ts';
import { readJsonRequest } from '../../src/formats/otlp/json/fromJson.ts';
import { encodeLogsProtobuf, type OutgoingLog } from '../../src/formats/otlp/record/encodeLogs.ts';
import { encodeMetricsProtobuf, type OutgoingPoint } from '../../src/formats/otlp/record/encodeMetrics.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import type { Signal } from '../../src/formats/otlp/wire/messages.ts';
import { Refusals } from '../../src/formats/otlp/wire/refusal.ts';
import { writeRequest } from '../../src/formats/otlp/wire/request.ts';
import { toOtlpProfiles } from '../../src/formats/profile/tables.ts';
import type { OutgoingProfile, Output } from '../telemetry/output.ts';

/** An export request ready to go. */
export interface Parcel {
  readonly signal: Signal;
  readonly records: number;
  readonly body: Uint8Array;
}

/** Records in a parcel. */
const MOST = { traces: 1000, logs: 1000, metrics: 2000, profiles: 60 } as const;

/** Puts what the company tells of itself into export requests, each handed on as soon as it is full. */
export class Parcels implements Output {
  readonly #full: (parcel: Parcel) => void;
  #spans: Span[] = [];
  #logs: OutgoingLog[] = [];
  #points: OutgoingPoint[] = [];
  #profiles: OutgoingProfile[] = [];

  constructor(full: (parcel: Parcel) => void) {
    this.#full = full;
  }

  span = (span: Span): void => {
    if (this.#spans.push(span) >= MOST.traces) this.#sendSpans();
  };

  log = (record: OutgoingLog): void => {
    if (this.#logs.push(record) >= MOST.logs) this.#sendLogs();
  };

  point = (point: OutgoingPoint): void => {
    if (this.#points.push(point) >= MOST.metrics) this.#sendPoints();
  };

  profile = (profile: OutgoingProfile): void => {
    if (this.#profiles.push(profile) >= MOST.profiles) this.#sendProfiles();
  };

  /** Hands on what is there, full or not. */
  flush(): void {
    this.#sendSpans();
    this.#sendLogs();
    this.#sendPoints();
    this.#sendProfiles();
  }

  #sendSpans(): void {
    const spans = this.#spans;
    this.#spans = [];
    if (spans.length > 0) this.#full({ signal: 'traces', records: spans.length, body: encodeTracesProtobuf(spans) });
  }

  #sendLogs(): void {
    const logs = this.#logs;
    this.#logs = [];
    if (logs.length > 0) this.#full({ signal: 'logs', records: logs.length, body: encodeLogsProtobuf(logs) });
  }

  #sendPoints(): void {
    const points = this.#points;
    this.#points = [];
    if (points.length > 0) this.#full({ signal: 'metrics', records: points.length, body: encodeMetricsProtobuf(points) });
  }

  #sendProfiles(): void {
    const profiles = this.#profiles;
    this.#profiles = [];
    if (profiles.length === 0) return;
    const groups = [...group(profiles, ({ resource }) => resource)].map(([resource, of]) => ({
      resource,
      profiles: of.map(({ profile }) => profile),
    }));
    const body = writeRequest(readJsonRequest(JSON.stringify(toOtlpProfiles(groups)), 'profiles', new Refusals()));
    this.#full({ signal: 'profiles', records: profiles.length, body });
  }
}
