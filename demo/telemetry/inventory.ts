import { readFileSync } from 'node:fs';
import type { Attributes } from '../../src/core/trace/span.ts';
import { billOf } from '../company/images.ts';
import { HOST_JOBS } from '../company/jobs.ts';
import { HOSTS, MACHINES } from '../company/services.ts';
import { MIB } from '../simulation/units.ts';
import type { Instance } from '../world/instance.ts';
import type { World } from '../world/world.ts';
import { event, reporter } from './events.ts';

const KEEPER = reporter('inventory', { 'service.namespace': 'Platform' });

/** The files of the services in which most of their time is spent, by the version that has them. */
const SOURCES = [
  ['berths', 'layout/solve.go', '4.6.3'],
  ['berths', 'layout/solve.go', '4.7.0'],
  ['passes', 'src/render.js', '3.8.5'],
  ['passes', 'src/render.js', '3.9.0'],
  ['accounts', 'signin/verify.go', '3.4.0'],
  ['crew', 'crew/rosters.py', '1.8.3'],
  ['crew', 'crew/rosters.py', '1.9.0'],
  ['fares', 'src/rules.js', '2.13.4'],
  ['fares', 'src/rules.js', '2.14.0'],
  ['gangway', 'src/server.js', '8.2.1'],
  ['gangway', 'src/server.js', '8.2.2'],
  ['manifests', 'reach/manifests/BookingStore.java', '7.0.4'],
  ['manifests', 'reach/manifests/ManifestService.java', '7.0.4'],
  ['sailings', 'reach/sailings/Timetable.java', '2.18.0'],
  ['vessels', 'positions/track.go', '6.1.0'],
] as const;

const GIB = 1024 * MIB;

/** Every object there is, as it is now. */
export function reportInventory(world: World): void {
  for (const [name, { cores, memory }] of Object.entries(HOSTS))
    object(world, { kind: 'host', id: name, name, detail: { cores, memory: memory * GIB } });
  for (const [name, { host, cores }] of Object.entries(MACHINES)) {
    const detail = { cores, memory: 2 * cores * GIB };
    if (name !== host) object(world, { kind: 'vm', id: name, name, partOf: host, standsOn: host, detail });
  }
  for (const [service, instances] of world.instances) {
    reportDeployment(world, service, instances);
    reportReplicas(world, instances);
    for (const instance of instances) reportPod(world, instance);
  }
  for (const [service, file, version] of SOURCES)
    object(world, {
      kind: 'source',
      id: `${service}/${file}@${version}`,
      name: file,
      partOf: `deployment ${service}`,
      detail: { version },
      specification: sourceOf(service, file, version),
    });
  for (const host of world.hosts.keys())
    for (const job of HOST_JOBS)
      if (/^quay/.test(host) || job.everyMinutes !== undefined)
        object(world, {
          kind: 'job',
          id: jobId(job.name, host),
          name: job.name,
          partOf: host,
          standsOn: host,
          detail: { schedule: job.schedule, command: job.command },
        });
  reportOwnKinds(world);
}

export function jobId(job: string, host: string): string {
  return `job ${job} on ${host}`;
}

function reportDeployment(world: World, service: string, instances: readonly Instance[]): void {
  const { form } = instances[0];
  const settings = `${service}-conf`;
  object(world, {
    kind: 'deployment',
    id: `deployment ${service}`,
    name: service,
    detail: { replicas: instances.length },
    labels: { app: service, team: form.team },
    uses: [`settings ${settings}`, ...(form.given ?? []).map(([kind, name]) => `${kind} ${name}`)],
    specification: deploymentOf(instances),
  });
  object(world, {
    kind: 'settings',
    id: `settings ${settings}`,
    name: settings,
    specification: `kind: settings\nname: ${settings}\ndata:\n  workers: "${form.workers}"\n  team: ${form.team}\n`,
  });
  for (const [kind, name] of form.given ?? [])
    if (kind === 'secret')
      object(world, {
        kind,
        id: `secret ${name}`,
        name,
        specification: `kind: secret\nname: ${name}\ndata:\n  token: bm90IGEgcmVhbCBvbmU=\n`,
      });
}

/** One set of pods for each version that runs. */
export function reportReplicas(world: World, instances: readonly Instance[]): void {
  const [{ service, form }] = instances;
  for (const version of new Set(instances.map((it) => it.version))) {
    const own = instances.filter((it) => it.version === version);
    object(world, {
      kind: 'replica set',
      id: `replica set ${service}-${version}`,
      name: `${service}-${version}`,
      partOf: `deployment ${service}`,
      detail: { replicas: own.length, ready: own.filter(({ isUp }) => isUp).length },
      labels: { app: service, team: form.team, version },
    });
    const image = imageOf(service, version);
    object(world, {
      kind: 'image',
      id: `image ${image}`,
      name: image,
      specification: billOf(image, service, version, form.language),
    });
  }
}

/** A pod and its container, as they are now. @param reason why it is not ready */
export function reportPod(world: World, instance: Instance, reason = ''): void {
  const { id, machine, isUp, restarts, version, service, form } = instance;
  const state = {
    ready: isUp,
    phase: isUp ? 'running' : 'down',
    restarts,
    image: imageOf(service, version),
    'service.version': version,
    'cpu.request': form.cpu[0],
    'cpu.limit': form.cpu[1],
    'memory.request': form.memory[0] * MIB,
    'memory.limit': form.memory[1] * MIB,
    ...(reason ? { reason } : {}),
  };
  object(world, {
    kind: 'pod',
    id: `pod ${id}`,
    name: id,
    partOf: `replica set ${service}-${version}`,
    standsOn: machine.name,
    detail: state,
    labels: { app: service, team: form.team, version },
    uses: [`settings ${service}-conf`, ...(form.given ?? []).map(([kind, name]) => `${kind} ${name}`)],
    specification: podOf(instance),
  });
  object(world, { kind: 'container', id: `container ${id}`, name: id, partOf: `pod ${id}`, detail: state });
}

/** Kinds of the company's own, with what their definitions say is worth a column. */
function reportOwnKinds(world: World): void {
  object(world, { kind: 'kind', id: 'kind mail route', name: 'mail route', detail: { columns: ['from', 'until', 'through'] } });
  object(world, { kind: 'kind', id: 'kind timetable', name: 'timetable', detail: { columns: ['vessels', 'sailings a day'] } });
  for (const [name, from, until] of [
    ['morning', '06:00', '17:00'],
    ['evening', '17:00', '23:30'],
  ])
    object(world, {
      kind: 'mail route',
      id: `mail route ${name}`,
      name,
      detail: { from, until, through: 'post-hub.example' },
      specification: `kind: mail route\nname: ${name}\nfrom: "${from}"\nuntil: "${until}"\nthrough: post-hub.example\n`,
    });
  object(world, {
    kind: 'timetable',
    id: 'timetable regatta-weekend',
    name: 'regatta-weekend',
    detail: { vessels: 7, 'sailings a day': 62 },
    specification: 'kind: timetable\nname: regatta-weekend\nvessels: 7\nsailings a day: 62\n',
  });
}

interface ReportedObject {
  readonly kind: string;
  readonly id: string;
  readonly name: string;
  readonly partOf?: string;
  readonly standsOn?: string;
  readonly uses?: readonly string[];
  readonly labels?: Readonly<Record<string, string>>;
  readonly detail?: Attributes;
  readonly specification?: string;
}

function object(world: World, it: ReportedObject): void {
  event(world, KEEPER, 'lantern.inventory', {
    'lantern.object.kind': it.kind,
    'lantern.object.id': it.id,
    'lantern.object.name': it.name,
    ...(it.partOf ? { 'lantern.object.part_of': it.partOf } : {}),
    ...(it.standsOn ? { 'lantern.object.stands_on': it.standsOn } : {}),
    ...(it.uses ? { 'lantern.object.uses': [...it.uses] } : {}),
    ...(it.labels ? { 'lantern.object.labels': { ...it.labels } } : {}),
    ...(it.specification ? { 'lantern.object.specification': it.specification } : {}),
    'lantern.object.detail': it.detail ?? {},
  });
}

export function imageOf(service: string, version: string): string {
  return `registry.osier-reach.example/${service}:${version}`;
}

function deploymentOf([first, ...others]: readonly Instance[]): string {
  const { service, form, version } = first;
  return `kind: deployment
name: ${service}
team: ${form.team}
replicas: ${1 + others.length}
image: ${imageOf(service, version)}
memory:
  request: ${form.memory[0]}Mi
  limit: ${form.memory[1]}Mi
${form.pool ? `database:\n  address: ${form.pool.database}\n  pool: ${first.pool!.gate.size}\n` : ''}`;
}

function podOf({ id, machine, form, version, service }: Instance): string {
  return `kind: pod
name: ${id}
machine: ${machine.name}
containers:
  - name: ${service}
    image: ${imageOf(service, version)}
    cpu: { request: ${form.cpu[0]}, limit: ${form.cpu[1]} }
    memory: { request: ${form.memory[0]}Mi, limit: ${form.memory[1]}Mi }
    restart: always
`;
}

function sourceOf(service: string, file: string, version: string): string {
  const name = file.slice(file.lastIndexOf('/') + 1);
  return readFileSync(new URL(`../company/sources/${service}-${version}/${name}.txt`, import.meta.url), 'utf8');
}
