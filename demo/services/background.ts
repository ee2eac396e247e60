import { chatterOf } from '../company/chatter.ts';
import { ROUTES } from '../company/customers.ts';
import { STATEMENTS, type Statement } from '../company/statements.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { SECOND } from '../simulation/units.ts';
import { line, type Severity } from '../telemetry/logging.ts';
import type { Instance } from '../world/instance.ts';
import { POOL_PATIENCE } from '../world/query.ts';
import type { World } from '../world/world.ts';

/** Statements that are run all day by programs that are no services: whose, and how many seconds apart. */
const JOBS: readonly (readonly [program: string, Statement, number])[] = [
  ['harbour-reports', STATEMENTS.occupancy, 26],
  ['harbour-reports', STATEMENTS.counts, 31],
  ['session-sweeper', STATEMENTS.sweepSessions, 60],
];

function* job(world: World, seed: number, program: string, statement: Statement, apart: number): Process {
  const luck = chance(seed);
  const server = world.databases.get(statement.database)!;
  const session = server.open('reports', program, 'vm-quay-4a');
  for (;;) {
    yield* world.simulation.sleep(luck.exponential(apart * SECOND));
    yield* server.run(session, statement, luck, '');
    server.commit(session);
  }
}

/** How many manifests an instance reads anew in a second, so that the next sailings are fresh. No request waits for that, and no span says it. */
const REFRESHED = 5;

function* refreshManifests(world: World, instance: Instance, seed: number): Process {
  const luck = chance(seed);
  for (;;) {
    yield* world.simulation.sleep(luck.exponential(SECOND / REFRESHED));
    if (instance.isUp) world.simulation.start(refreshOne(world, instance, luck));
  }
}

function* refreshOne(world: World, instance: Instance, luck: Chance): Process {
  const pool = instance.pool!;
  const session = yield* pool.take(world.simulation, POOL_PATIENCE);
  if (!session) return;
  yield* pool.database.run(session, STATEMENTS.manifest, luck, '');
  pool.database.commit(session);
  pool.giveBack(session);
}

/** Lines that belong to no request, from all instances in turn. */
function* chatter(world: World, seed: number): Process {
  const luck = chance(seed);
  const instances = [...world.instances.values()].flat();
  for (;;) {
    yield* world.simulation.sleep(luck.exponential(0.9 * SECOND));
    const instance = instances[luck.between(0, instances.length - 1)];
    if (!instance.isUp) continue;
    const lines = chatterOf(instance.service);
    const chosen = lines[luck.between(0, lines.length - 1)];
    const blank = chosen.indexOf(' ');
    line(world, instance, chosen.slice(0, blank) as Severity, filled(chosen.slice(blank + 1), luck));
  }
}

function filled(text: string, luck: Chance): string {
  return text.replace(/\{(\w+)\}/g, (_, what: string) => {
    if (what === 'route') return luck.pick<string>(ROUTES);
    if (what === 'ref') return `OR${luck.hex(6).toUpperCase()}`;
    if (what === 'ip') return `10.20.${luck.between(1, 4)}.${luck.between(2, 250)}`;
    if (what === 'host') return `quay-${luck.between(1, 4)}`;
    return String(luck.between(1, 900));
  });
}

/** The chatty logger: one instance writes what it does all the time, for nobody. */
function* chattyLogger(world: World, seed: number): Process {
  const luck = chance(seed);
  const [first] = world.instances.get('vessels')!;
  for (;;) {
    yield* world.simulation.sleep(luck.exponential(0.8 * SECOND));
    line(
      world,
      first,
      'debug',
      `frame ${luck.between(1, 1 << 20)} from beacon ${luck.between(1, 60)}: checksum ${luck.hex(4)} good`,
    );
  }
}

/** Everything that goes on without a request. */
export function startBackground(world: World, seed: number): void {
  const luck = chance(seed);
  const own = () => luck.between(0, 0x7fffffff);
  for (const [program, statement, apart] of JOBS) world.simulation.start(job(world, own(), program, statement, apart));
  for (const instance of world.instances.get('manifests')!) world.simulation.start(refreshManifests(world, instance, own()));
  world.simulation.start(chatter(world, own()));
  world.simulation.start(chattyLogger(world, own()));
}
