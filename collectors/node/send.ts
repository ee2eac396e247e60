import { type ProfileSource, toOtlpProfiles } from '../../src/formats/profile/tables.ts';
import type { ProbeSettings } from './settings.ts';

type Value = string | number | boolean | Attributes;
interface Attributes {
  readonly [key: string]: Value;
}

/** An event, a log record with a name. */
export interface ProbeEvent {
  readonly name: string;
  readonly atMs: number;
  readonly attributes: Attributes;
  readonly traceId?: string;
}

/** A request that has ended, as a span. */
export interface ProbeSpan {
  readonly operation: string;
  readonly traceId: string;
  readonly spanId: string;
  readonly parentSpanId: string;
  readonly beganAt: number;
  readonly endedAt: number;
  readonly status: number;
}

/** A measure: of this moment, or a sum since the program began. */
export interface ProbeMeasure {
  readonly name: string;
  readonly unit: string;
  readonly value: number;
  readonly isSum?: boolean;
  readonly attributes?: Attributes;
}

/** How long one request may take; a reader that does not answer holds nothing up. */
const LONGEST_MS = 30_000;
const SCOPE = { name: 'dusk-lantern/node-probe', version: '0.1.0' };

/** Sends what the probe has seen, as OTLP/JSON. What cannot be sent is let go: the next report tells what is then. */
export class Sender {
  readonly #settings: ProbeSettings;
  readonly #resource: object;
  readonly #startNs: string;
  #failed = false;

  constructor(settings: ProbeSettings, startMs: number) {
    this.#settings = settings;
    this.#resource = { attributes: attributesOf(settings.resource) };
    this.#startNs = nanos(startMs);
  }

  events(events: readonly ProbeEvent[]): Promise<void> {
    if (events.length === 0) return Promise.resolve();
    const logRecords = events.map(({ name, atMs, attributes, traceId }) => ({
      timeUnixNano: nanos(atMs),
      eventName: name,
      attributes: attributesOf(attributes),
      ...(traceId ? { traceId } : {}),
    }));
    return this.#post('logs', { resourceLogs: [{ resource: this.#resource, scopeLogs: [{ scope: SCOPE, logRecords }] }] });
  }

  spans(ended: readonly ProbeSpan[]): Promise<void> {
    if (ended.length === 0) return Promise.resolve();
    const spans = ended.map((it) => ({
      traceId: it.traceId,
      spanId: it.spanId,
      ...(it.parentSpanId ? { parentSpanId: it.parentSpanId } : {}),
      name: it.operation,
      kind: 2,
      startTimeUnixNano: nanos(it.beganAt),
      endTimeUnixNano: nanos(Math.max(it.endedAt, it.beganAt)),
      attributes: attributesOf({
        'http.request.method': it.operation.split(' ')[0],
        'http.route': it.operation.split(' ')[1] ?? '',
        'http.response.status_code': it.status,
      }),
      status: it.status >= 500 || it.status === 499 ? { code: 2 } : {},
    }));
    return this.#post('traces', { resourceSpans: [{ resource: this.#resource, scopeSpans: [{ scope: SCOPE, spans }] }] });
  }

  measures(measures: readonly ProbeMeasure[], atMs: number): Promise<void> {
    const metrics = measures.map(({ name, unit, value, isSum, attributes = {} }) => {
      const point = {
        timeUnixNano: nanos(atMs),
        startTimeUnixNano: this.#startNs,
        asDouble: value,
        attributes: attributesOf(attributes),
      };
      return {
        name,
        unit,
        ...(isSum
          ? { sum: { dataPoints: [point], aggregationTemporality: 2, isMonotonic: true } }
          : { gauge: { dataPoints: [point] } }),
      };
    });
    return this.#post('metrics', { resourceMetrics: [{ resource: this.#resource, scopeMetrics: [{ scope: SCOPE, metrics }] }] });
  }

  profiles(profiles: readonly ProfileSource[]): Promise<void> {
    const some = profiles.filter(({ samples }) => samples.length > 0);
    if (some.length === 0) return Promise.resolve();
    return this.#post('profiles', toOtlpProfiles([{ resource: this.#settings.resource, profiles: some }]));
  }

  async #post(signal: 'logs' | 'traces' | 'metrics' | 'profiles', body: object): Promise<void> {
    const { url, headers, debug } = this.#settings;
    try {
      const answer = await fetch(`${url}/${signal === 'profiles' ? 'v1development' : 'v1'}/${signal}`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...headers },
        body: JSON.stringify(body),
        signal: AbortSignal.timeout(LONGEST_MS),
      });
      const said = await answer.text();
      if (!answer.ok || (debug && /rejected|errorMessage/.test(said))) throw new Error(`${answer.status}: ${said.slice(0, 300)}`);
      this.#failed = false;
    } catch (error) {
      // Once, not every few seconds.
      if (!this.#failed || debug) process.stderr.write(`dusk probe: ${signal} not sent to ${url}: ${(error as Error).message}\n`);
      this.#failed = true;
    }
  }
}

function nanos(ms: number): string {
  return String(BigInt(Math.round(ms * 1_000)) * 1_000n);
}

function attributesOf(attributes: Attributes): object[] {
  return Object.entries(attributes).map(([key, value]) => ({ key, value: otlpValue(value) }));
}

function otlpValue(value: Value): object {
  if (typeof value === 'string') return { stringValue: value };
  if (typeof value === 'boolean') return { boolValue: value };
  return typeof value === 'number' ? { doubleValue: value } : { kvlistValue: { values: attributesOf(value) } };
}
