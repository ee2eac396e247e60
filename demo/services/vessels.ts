import { chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { call, compute, type Place, sendMessage, within } from '../world/request.ts';
import { newTrace, type World } from '../world/world.ts';
import { VESSELS } from './crew.ts';

export function* vesselPosition(at: Place): Process {
  const { chance: luck } = at.request;
  const attributes = { 'vessel.name': luck.pick(VESSELS.map(([name]) => [name, 1] as const)) };
  yield* call(at, { service: 'vessels', method: 'GET', route: '/vessels/{id}/position', attributes }, function* (vessels) {
    yield* compute(vessels, 'position.find', 1.8 * MS);
    say(
      vessels,
      'debug',
      `position of ${attributes['vessel.name']}: ${(54 + luck.unit()).toFixed(4)} ${(8 + luck.unit()).toFixed(4)}`,
    );
  });
}

/** Ships report where they are, each every two minutes; vessels takes it from the stream. */
export function* positionReports(world: World, seed: number): Process {
  const luck = chance(seed);
  const stream = world.queues.get('position-stream')!;
  const instances = world.instances.get('vessels')!;
  for (;;) {
    yield* world.simulation.sleep(luck.exponential((120 / VESSELS.length) * SECOND));
    const own = chance(luck.between(0, 0x7fffffff));
    const sender: Place = {
      request: { world, chance: own, traceId: newTrace(world) },
      instance: instances[own.between(0, 1)],
      spanId: null,
      set: () => {},
    };
    yield* sendMessage(sender, 'position-stream', 'position');
    const message = yield* stream.take();
    const taker: Place = {
      ...sender,
      request: { ...sender.request, traceId: newTrace(world, message.sender.traceId) },
      instance: instances[own.between(0, 1)],
    };
    const attributes = {
      'messaging.system': 'pier',
      'messaging.destination.name': 'position-stream',
      'messaging.operation.type': 'process',
    };
    const links = [{ ...message.sender, traceState: '', attributes: {} }];
    yield* within(taker, { name: 'process position-stream', kind: 'consumer', attributes, links }, (inside) =>
      compute(inside, 'position.store', 1.2 * MS),
    );
    stream.done++;
  }
}
