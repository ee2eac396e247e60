import type { Attributes } from '../trace/span.ts';
import { podByUid } from './pods/podUids.ts';

/*
 * What is known of machines, containers and processes by measures. Names are OpenTelemetry's where it has one; docs/sending.md lists them all.
 */

/** What a measure is of. */
export type SubjectKind = 'host' | 'container' | 'process';

/** Measures as they are stored; see `derivedOf` for those that are worked out of two. */
export const RAW_MEASURES = [
  'cpu',
  'steal',
  'cpu seconds',
  'busy seconds',
  'stolen seconds',
  'load',
  'pressure cpu',
  'pressure memory',
  'pressure io',
  'memory share',
  'memory used',
  'memory limit',
  'disk seconds',
  'disk operations',
  'disk bytes',
  'disk busy',
  'disk full',
  'link bytes',
  'segments sent',
  'segments again',
  'cores',
  'cpu request',
  'cpu limit',
  'throttled',
  'memory',
  'memory request',
  'restarts',
  'kills',
  'run wait',
] as const;
export type RawMeasure = (typeof RAW_MEASURES)[number];

/** Measures of which each is one by another. */
const DERIVED = {
  'cpu of time': ['busy seconds', 'cpu seconds'],
  'steal of time': ['stolen seconds', 'cpu seconds'],
  'memory of limit': ['memory used', 'memory limit'],
  'disk wait': ['disk seconds', 'disk operations'],
  retransmits: ['segments again', 'segments sent'],
} as const satisfies Readonly<Record<string, readonly [RawMeasure, RawMeasure]>>;

export type Measure = RawMeasure | keyof typeof DERIVED;

/** The two that a measure is worked out of; undefined for one that is stored. */
export function derivedOf(measure: Measure): readonly [of: RawMeasure, per: RawMeasure] | undefined {
  return measure in DERIVED ? DERIVED[measure as keyof typeof DERIVED] : undefined;
}

/** How a series is read. */
export interface MeasureSource {
  readonly kind: SubjectKind;
  readonly measures: readonly RawMeasure[];
  /** How series of one subject are brought together: devices, modes, states. */
  readonly together: 'add' | 'max';
}

interface Known extends MeasureSource {
  readonly when?: (attributes: Attributes) => boolean;
}

const mode = (attributes: Attributes) => String(attributes['cpu.mode'] ?? attributes.state ?? '');
const has =
  (name: string, ...values: readonly string[]) =>
  (attributes: Attributes) =>
    values.includes(String(attributes[name] ?? ''));
const host = (measures: readonly RawMeasure[], together: 'add' | 'max' = 'add', when?: Known['when']): Known => ({
  kind: 'host',
  measures,
  together,
  when,
});
const container = (...measures: readonly RawMeasure[]): Known => ({ kind: 'container', measures, together: 'add' });
const isWork = (attributes: Attributes) => !['idle', 'steal', 'wait', 'iowait'].includes(mode(attributes));
const pressure = (resource: string) => (attributes: Attributes) =>
  attributes['system.pressure.resource'] === resource && attributes['system.pressure.kind'] !== 'full';

/** By the name of the metric; the first that fits its attributes counts. */
const SOURCES: Readonly<Record<string, readonly Known[]>> = {
  'system.cpu.utilization': [host(['steal'], 'add', (it) => mode(it) === 'steal'), host(['cpu'], 'add', isWork)],
  'system.cpu.time': [
    host(['stolen seconds', 'cpu seconds'], 'add', (it) => mode(it) === 'steal'),
    host(['busy seconds', 'cpu seconds'], 'add', isWork),
    host(['cpu seconds']),
  ],
  'system.cpu.load': [host(['load'])],
  'system.pressure': [
    host(['pressure cpu'], 'max', pressure('cpu')),
    host(['pressure memory'], 'max', pressure('memory')),
    host(['pressure io'], 'max', pressure('io')),
  ],
  'system.memory.utilization': [
    host(['memory share'], 'add', (it) => !('system.memory.state' in it) || has('system.memory.state', 'used')(it)),
  ],
  'system.memory.usage': [
    host(['memory used'], 'add', (it) => !('system.memory.state' in it) || has('system.memory.state', 'used')(it)),
  ],
  'system.memory.limit': [host(['memory limit'])],
  'system.disk.io': [host(['disk bytes'])],
  'system.disk.operation_time': [host(['disk seconds'])],
  'system.disk.operations': [host(['disk operations'])],
  'system.disk.io_time': [host(['disk busy'], 'max')],
  'system.disk.utilization': [host(['disk busy'], 'max')],
  'system.filesystem.utilization': [host(['disk full'], 'max')],
  'system.network.io': [host(['link bytes'])],
  'system.network.segments': [
    host(['segments again'], 'add', has('network.segment.state', 'retransmitted')),
    host(['segments sent']),
  ],
  'container.cpu.usage': [container('cores')],
  'k8s.pod.cpu.usage': [container('cores')],
  'container.cpu.time': [container('cores')],
  'container.cpu.throttled.time': [container('throttled')],
  'container.memory.usage': [container('memory')],
  'k8s.pod.memory.usage': [container('memory')],
  'k8s.container.cpu.request': [container('cpu request')],
  'k8s.container.cpu.limit': [container('cpu limit')],
  'k8s.container.memory.request': [container('memory request')],
  'k8s.container.memory.limit': [container('memory limit')],
  'k8s.container.restart.count': [container('restarts')],
  'lantern.container.oom_kills': [container('kills')],
  'process.cpu.wait_time': [{ kind: 'process', measures: ['run wait'], together: 'add' }],
  'process.cpu.time': [{ kind: 'process', measures: ['cores'], together: 'add' }],
};

/** The names of all metrics that are read. */
export const MACHINE_METRICS: readonly string[] = Object.keys(SOURCES);

/** How a series is read; undefined when it says nothing of machines. */
export function measureSource(name: string, attributes: Attributes): MeasureSource | undefined {
  return SOURCES[name]?.find(({ when }) => !when || when(attributes));
}

/** What a series is of, and where that stands. */
export interface Subject {
  readonly kind: SubjectKind;
  readonly name: string;
  readonly service: string;
  readonly host: string;
  readonly container: string;
}

const text = (value: unknown) => (value === undefined || value === null ? '' : String(value));

/** The subject of a series by the resource that reports it; undefined when it does not say. */
export function subjectOf(kind: SubjectKind, service: string, resource: Attributes): Subject | undefined {
  const host = text(resource['host.name'] ?? resource['k8s.node.name'] ?? resource['server.address']);
  const instance = text(resource['service.instance.id']);
  const uid = text(resource['k8s.pod.uid']);
  const container = text(
    resource['k8s.pod.name'] ??
      (uid ? podByUid(uid) : undefined) ??
      resource['container.name'] ??
      resource['service.instance.id'],
  );
  const name = kind === 'host' ? host : kind === 'container' ? container : instance;
  return name === '' ? undefined : { kind, name, service, host, container: kind === 'host' ? '' : container };
}
