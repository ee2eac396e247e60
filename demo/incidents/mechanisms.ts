import { STATEMENTS, type Statement } from '../company/statements.ts';
import { chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MIB, MINUTE, SECOND } from '../simulation/units.ts';
import { jobId, reportPod } from '../telemetry/inventory.ts';
import { line } from '../telemetry/logging.ts';
import { objectEvent, reportPodEvent } from '../telemetry/objectEvents.ts';
import type { Instance } from '../world/instance.ts';
import type { World } from '../world/world.ts';
import type { Unfolding } from './unfolding.ts';

/** How large a batch is: its sessions, what is left of the cache for others, and of the disk's speed. */
interface BatchSize {
  readonly sessions: number;
  readonly hitShare: number;
  readonly diskSlower?: number;
}

/** A job that runs a statement in some sessions of a database, again and again, until it is over; it reads so much that the cache suffers. */
export function* batch(
  it: Unfolding,
  database: string,
  program: string,
  statement: Statement,
  { sessions, hitShare, diskSlower = 1 }: BatchSize,
): Process {
  const { world } = it;
  const server = world.databases.get(database)!;
  const before = server.hitShare;
  it.tell({ kind: 'job', phase: 'begin', title: `${program} on ${database}`, actor: program });
  server.hitShare = hitShare;
  server.diskSlower = diskSlower;
  for (let n = 0; n < sessions; n++) world.simulation.start(again(it, database, program, statement, n));
  yield* it.over();
  server.hitShare = before;
  server.diskSlower = 1;
  it.tell({ kind: 'job', phase: 'end', title: `${program} on ${database}`, actor: program });
}

function* again(it: Unfolding, database: string, program: string, statement: Statement, n: number): Process {
  const server = it.world.databases.get(database)!;
  const own = chance(it.chance.between(0, 0x7fffffff) + n);
  const session = server.open('batch', program, 'vm-quay-4b');
  while (!it.hasEnded) {
    yield* server.run(session, statement, own, '');
    server.commit(session);
    yield* it.world.simulation.sleep(own.exponential(SECOND));
  }
  server.close(session);
}

/** A job that changes many rows in one transaction and then does something else, with the transaction open. */
export function* lockHolder(it: Unfolding, program: string, groups: readonly string[]): Process {
  const { world } = it;
  const server = world.databases.get('manifest-db')!;
  const session = server.open('batch', program, 'vm-quay-4b');
  it.tell({ kind: 'job', phase: 'begin', title: `${program} on manifest-db`, actor: program });
  const undo = world.effects.turn('season roll-over');
  for (const group of groups) yield* server.run(session, STATEMENTS.rollSeason, it.chance, '', group);
  yield* it.over();
  server.close(session);
  undo();
  it.tell({ kind: 'job', phase: 'end', title: `${program} on manifest-db`, actor: program });
}

/** An index is gone, and comes back when it is over. */
export function* lostIndex(it: Unfolding, statement: Statement, title: string): Process {
  const server = it.world.databases.get(statement.database)!;
  it.tell({ kind: 'schema', title, actor: 'release-desk', detail: { database: statement.database } });
  server.lostIndexes.add(statement.index!);
  yield* it.over();
  server.lostIndexes.delete(statement.index!);
  it.tell({ kind: 'schema', title: `index ${statement.index} made again`, actor: 'database watch' });
}

/** What jobs of hosts are called. */
const JOBS: Readonly<Record<string, string>> = { 'backup of all disks': 'backup-all', 'small backup': 'backup-small' };

/** The host itself computes; its virtual machines get what is left. */
export function* busyHost(it: Unfolding, host: string, what: string, cores: number): Process {
  const iron = it.world.hosts.get(host)!;
  const job = JOBS[what] ?? what;
  it.tell({ kind: 'job', phase: 'begin', title: `${what} on ${host}`, actor: 'host schedule' });
  const done = iron.work(job, cores);
  objectEvent(it.world, 'job', jobId(job, host), job, 'began', `${what} began`);
  yield* it.over();
  done();
  objectEvent(it.world, 'job', jobId(job, host), job, 'done', `${what} done`);
  it.tell({ kind: 'job', phase: 'end', title: `${what} on ${host}`, actor: 'host schedule' });
}

const DOWN = 25 * SECOND;
const LONGEST_DOWN = 5 * MINUTE;

/** A service holds on to memory: each of its pods is killed at its limit, and is back later each time. */
export function* leak(it: Unfolding, service: string, version: string, mibEach: number): Process {
  const undo = it.world.effects.turn(`leak in ${service} ${version}`, mibEach);
  yield* it.rollOut(service, version, 3);
  for (const instance of it.instances(service)) it.world.simulation.start(killWhenFull(it, instance));
  yield* it.over();
  undo();
  it.rollBack(service);
}

function* killWhenFull({ world, end }: Unfolding, instance: Instance): Process {
  let down = DOWN;
  while (world.simulation.now < end) {
    yield* world.simulation.sleep(5 * SECOND);
    if (instance.memory < instance.form.memory[1] * MIB) continue;
    kill(world, instance);
    yield* world.simulation.sleep(down);
    instance.isUp = true;
    reportPod(world, instance);
    reportPodEvent(world, instance, 'Started', `started again after ${Math.round(down / SECOND)} s`);
    line(world, instance, 'info', `${instance.service} ${instance.version} started`);
    down = Math.min(down * 1.6, LONGEST_DOWN);
  }
}

function kill(world: World, instance: Instance): void {
  const limit = instance.form.memory[1];
  line(world, instance, 'fatal', `container ${instance.id} killed at its memory limit of ${limit} MiB`, {
    'container.memory.limit_mib': limit,
  });
  instance.isUp = false;
  instance.restarts++;
  instance.restart(40 * SECOND);
  reportPod(world, instance, 'OOMKilled');
  reportPodEvent(
    world,
    instance,
    'OOMKilled',
    `container ${instance.service} was killed at its memory limit of ${limit} MiB, exit code 137`,
  );
  if (instance.restarts > 1)
    reportPodEvent(world, instance, 'BackOff', `waits before container ${instance.service} is started again`);
}

/** Whatever the effect is, from the beginning to the end. */
export function* effect(it: Unfolding, begin: () => () => void): Process {
  const undo = begin();
  yield* it.over();
  undo();
}
