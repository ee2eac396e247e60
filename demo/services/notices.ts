import { STATEMENTS } from '../company/statements.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MIB, MS, SECOND } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { Failed } from '../world/failed.ts';
import type { Instance } from '../world/instance.ts';
import { query, transaction } from '../world/query.ts';
import { LOCK_MINUTES, type Message } from '../world/queue.ts';
import { askPartner, call, compute, type Place, within } from '../world/request.ts';
import { newTrace, type World } from '../world/world.ts';

export function* noticesInbox(at: Place): Process {
  yield* call(at, { service: 'notices', method: 'GET', route: '/notices', tries: 3, pause: 300 * MS }, function* (notices) {
    yield* compute(notices, 'inbox.read', 6 * MS);
    say(notices, 'info', `inbox of ${notices.request.customer!.userId} read`);
  });
}

const TAKEN_ALONG = 4;
/** After so many a message is given up, and nobody is told. */
const MOST_DELIVERIES = 2;

/** What an instance does with the messages of a queue, one after the other, for ever. */
export function* consume(
  world: World,
  instance: Instance,
  queueName: string,
  seed: number,
  work: (inside: Place, message: Message) => Process,
): Process {
  const luck = chance(seed);
  const queue = world.queues.get(queueName)!;
  const held: Message[] = [];
  for (;;) {
    while (!instance.isUp) yield* world.simulation.sleep(SECOND);
    if (held.length === 0) {
      held.push(yield* queue.take());
      // What waits already is taken along, to save a way to the queue for each.
      held.push(...queue.takeWaiting(TAKEN_ALONG));
    }
    if (!instance.isUp) {
      for (const message of held.splice(0)) queue.leaveLocked(message);
      continue;
    }
    const message = held.shift()!;
    const { life } = instance;
    const at = takerOf(world, instance, luck, message);
    const attributes = {
      'messaging.system': 'pier',
      'messaging.destination.name': queueName,
      'messaging.operation.type': 'process',
      'messaging.message.age_ms': Math.round((world.simulation.now - message.sentAt) / MS),
      'messaging.message.deliveries': message.deliveries,
      'booking.ref': message.bookingRef,
    };
    const links = [{ ...message.sender, traceState: '', attributes: {} }];
    try {
      yield* within(at, { name: `process ${queueName}`, kind: 'consumer', attributes, links }, function* (inside) {
        const { kind, bookingRef, deliveries } = message;
        if (bookingRef !== '') {
          const about = { 'booking.ref': bookingRef, 'messaging.message.deliveries': deliveries };
          if (deliveries > 1)
            say(inside, 'warn', `lock on message "${kind}" for ${bookingRef} ran out after ${LOCK_MINUTES} min`, about);
          say(inside, 'info', `message "${kind}" for ${bookingRef} taken, delivery ${deliveries}`, about);
        }
        yield* work(inside, message);
      });
    } catch (error) {
      if (!(error instanceof Failed)) throw error;
    }
    if (instance.life === life) {
      queue.done++;
      continue;
    }
    // Its process was killed in the middle: nobody said that the messages were done. One that was handed out twice is dropped.
    for (const lost of [message, ...held.splice(0)]) if (lost.deliveries < MOST_DELIVERIES) queue.leaveLocked(lost);
  }
}

function takerOf(world: World, instance: Instance, luck: Chance, { sender }: Message): Place {
  const own = chance(luck.between(0, 0x7fffffff));
  return {
    request: { world, chance: own, traceId: newTrace(world, sender.traceId) },
    instance,
    spanId: null,
    set: () => {},
  };
}

/** A mail or a text for a message. */
export function* sendNotice(inside: Place, message: Message): Process {
  const { request, instance } = inside;
  yield* compute(inside, 'notice.write', 14 * MS);
  instance.leaked += request.world.effects.valueOf(`leak in notices ${instance.version}`) * MIB;
  yield* askPartner(inside, 'post-hub.example', 'POST', '/mails', { 'booking.ref': message.bookingRef }, 10 * SECOND);
  say(inside, 'info', `mail "${message.kind}" for ${message.bookingRef} handed to the post`, {
    'booking.ref': message.bookingRef,
  });
}

/** An entry in the accounts for a booking. */
export function* bookEntry(inside: Place, message: Message): Process {
  yield* compute(inside, 'entry.make', 5 * MS);
  yield* transaction(inside, (session) => query(inside, session, STATEMENTS.newEntry));
  say(inside, 'info', `entry made for ${message.bookingRef}`, { 'booking.ref': message.bookingRef });
}
