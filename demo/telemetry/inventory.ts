import { readFileSync } from 'node:fs';
import { HOSTS, MACHINES } from '../company/services.ts';
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

/** Every object there is, as it is now. */
export function reportInventory(world: World): void {
  for (const [name, { cores, memory }] of Object.entries(HOSTS))
    object(world, 'host', name, name, '', { cores, 'memory.gib': memory });
  for (const [name, { host, cores }] of Object.entries(MACHINES)) object(world, 'vm', name, name, host, { cores });
  for (const [service, instances] of world.instances) {
    object(world, 'deployment', `deployment ${service}`, service, '', { replicas: instances.length }, deploymentOf(instances));
    for (const instance of instances) reportPod(world, instance);
  }
  for (const [service, file, version] of SOURCES)
    object(
      world,
      'source',
      `${service}/${file}@${version}`,
      file,
      `deployment ${service}`,
      { version },
      sourceOf(service, file, version),
    );
}

/** A pod and its container, as they are now. */
export function reportPod(world: World, instance: Instance): void {
  const { id, machine, isUp, restarts, version, service } = instance;
  const state = { ready: isUp, restarts, 'service.version': version };
  object(world, 'pod', `pod ${id}`, id, `deployment ${service}`, { ...state, machine: machine.name }, podOf(instance));
  object(world, 'container', `container ${id}`, id, `pod ${id}`, {
    ...state,
    image: `registry.osier-reach.example/${service}:${version}`,
  });
}

function object(
  world: World,
  kind: string,
  id: string,
  name: string,
  partOf: string,
  detail: Record<string, string | number | boolean>,
  specification = '',
): void {
  event(world, KEEPER, 'lantern.inventory', {
    'lantern.object.kind': kind,
    'lantern.object.id': id,
    'lantern.object.name': name,
    ...(partOf ? { 'lantern.object.part_of': partOf } : {}),
    ...(specification ? { 'lantern.object.specification': specification } : {}),
    'lantern.object.detail': detail,
  });
}

function deploymentOf([first, ...others]: readonly Instance[]): string {
  const { service, form, version } = first;
  return `kind: deployment
name: ${service}
team: ${form.team}
replicas: ${1 + others.length}
image: registry.osier-reach.example/${service}:${version}
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
    image: registry.osier-reach.example/${service}:${version}
    memory: { request: ${form.memory[0]}Mi, limit: ${form.memory[1]}Mi }
    restart: always
`;
}

function sourceOf(service: string, file: string, version: string): string {
  const name = file.slice(file.lastIndexOf('/') + 1);
  return readFileSync(new URL(`../company/sources/${service}-${version}/${name}.txt`, import.meta.url), 'utf8');
}
