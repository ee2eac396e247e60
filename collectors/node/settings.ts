import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { hostname } from 'node:os';
import { basename, dirname, join } from 'node:path';

/** What the probe is told by the environment. OpenTelemetry's names where it has them. */
export interface ProbeSettings {
  /** Where it sends to and asks. */
  readonly url: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly resource: Readonly<Record<string, string>>;
  readonly service: string;
  readonly version: string;
  /** Where it runs, such as staging; empty where nobody says. */
  readonly environment: string;
  readonly instance: string;
  /** The folder from which files are named. */
  readonly root: string;
  /** How often running requests and measures are reported, milliseconds. */
  readonly reportMs: number;
  /** How often, and for how long, it takes a profile by itself; 0 for never. */
  readonly profileEveryMs: number;
  readonly profileMs: number;
  /** Between two samples of the CPU, microseconds. */
  readonly sampleUs: number;
  /** Whether objects on the heap are sampled. */
  readonly heap: boolean;
  /** Whether the spans of all requests are sent, where no SDK does; else those of slow and failed ones. */
  readonly allSpans: boolean;
  readonly debug: boolean;
}

export function readSettings(environment: NodeJS.ProcessEnv, script: string | undefined): ProbeSettings {
  const root = process.cwd();
  const about = packageOf(script ? dirname(script) : root);
  const more = pairs(environment.OTEL_RESOURCE_ATTRIBUTES ?? '');
  const service =
    environment.OTEL_SERVICE_NAME ||
    more['service.name'] ||
    about?.name ||
    (script ? basename(script).replace(/\.\w+$/, '') : 'node');
  const version = environment.DUSK_PROBE_VERSION || more['service.version'] || about?.version || '';
  const instance = more['service.instance.id'] || `${hostname()}-${process.pid}-${randomUUID().slice(0, 4)}`;
  const number = (name: string, usual: number, least: number) => {
    const value = Number(environment[name] ?? usual);
    return Number.isFinite(value) && value >= least ? value : usual;
  };
  return {
    url: (environment.DUSK_URL || environment.OTEL_EXPORTER_OTLP_ENDPOINT || 'http://127.0.0.1:4680').replace(/\/+$/, ''),
    headers: pairs(environment.OTEL_EXPORTER_OTLP_HEADERS ?? ''),
    resource: {
      'host.name': hostname(),
      'process.pid': String(process.pid),
      'process.runtime.name': 'nodejs',
      'process.runtime.version': process.versions.node,
      'telemetry.sdk.language': 'nodejs',
      ...more,
      'service.name': service,
      ...(version && { 'service.version': version }),
      'service.instance.id': instance,
    },
    service,
    version,
    environment: more['deployment.environment.name'] || '',
    instance,
    root,
    reportMs: number('DUSK_PROBE_REPORT_MS', 10_000, 200),
    profileEveryMs: number('DUSK_PROBE_PROFILE_EVERY_MS', 120_000, 0),
    profileMs: number('DUSK_PROBE_PROFILE_MS', 10_000, 500),
    sampleUs: number('DUSK_PROBE_SAMPLE_US', 10_000, 500),
    heap: environment.DUSK_PROBE_HEAP !== 'off',
    allSpans: environment.DUSK_PROBE_SPANS === 'all',
    debug: environment.DUSK_PROBE_DEBUG === '1',
  };
}

function packageOf(folder: string): { name?: string; version?: string } | undefined {
  for (let at = folder; ; at = dirname(at)) {
    try {
      return JSON.parse(readFileSync(join(at, 'package.json'), 'utf8'));
    } catch {
      if (dirname(at) === at) return undefined;
    }
  }
}

/** `a=1,b=2`, percent-encoded, as OpenTelemetry's environment variables are. */
function pairs(text: string): Record<string, string> {
  const found: Record<string, string> = {};
  for (const part of text.split(',')) {
    const at = part.indexOf('=');
    if (at > 0) found[part.slice(0, at).trim()] = decodeURIComponent(part.slice(at + 1).trim());
  }
  return found;
}
