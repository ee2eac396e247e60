import type { Frame } from '../../src/core/profile/stackSample.ts';
import { stacksOf, type Wait, waitingStacks } from '../company/code/stacks.ts';
import { MS } from '../simulation/units.ts';
import type { Doing, UnderWay, World } from '../world/world.ts';
import { event } from './events.ts';

/** Younger requests are not reported: most have ended before anybody could look. */
const LEAST_AGE = 100 * MS;

/** Requests that have been running for a while, each with its thread, statement and stack. */
export function reportInFlight(world: World): void {
  for (const it of world.underWay) if (world.simulation.now - it.began >= LEAST_AGE) reportLook(world, it, '');
}

/** What a request does at this moment. @param look the id of the look that this answers; empty for none */
export function reportLook(world: World, it: UnderWay, look: string): void {
  const { instance, traceId, operation, began, thread, doing } = it;
  const now = doing.at(-1);
  const open = doing.findLast(({ computes }) => !computes);
  const waits = now && waitOf(now);
  event(
    world,
    instance.resource,
    'lantern.request.in_flight',
    {
      'lantern.trace_id': traceId,
      'lantern.span_id': open?.spanId ?? '',
      'lantern.operation': operation,
      'lantern.step': thread === '' ? 'waiting for a worker' : (now?.name ?? operation),
      'lantern.age_ms': (world.simulation.now - began) / MS,
      'lantern.wait': thread === '' ? 'worker' : (waits?.wait ?? ''),
      'thread.name': thread,
      'db.query.text': String(now?.attributes['db.query.text'] ?? ''),
      'code.stacktrace': stackOf(world, it).map(frameLine).join('\n'),
      ...(look && { 'lantern.look': look }),
    },
    { traceId },
  );
}

/** That a request which somebody looks at has ended, and how. @returns whether it is known */
export function reportEnded(world: World, traceId: string, instanceId: string, look: string): boolean {
  const it = world.ended.get(`${traceId} ${instanceId}`);
  const instance = [...world.instances.values()].flat().find(({ id }) => id === instanceId);
  if (!it || !instance) return false;
  event(
    world,
    instance.resource,
    'lantern.request.in_flight',
    {
      'lantern.trace_id': traceId,
      'lantern.operation': it.operation,
      'lantern.age_ms': (it.ended - it.began) / MS,
      'lantern.state': 'ended',
      'lantern.outcome': String(it.status),
      'lantern.look': look,
    },
    { traceId },
  );
  return true;
}

/** What is waited for, and whom. */
function waitOf({ name, computes, attributes }: Doing): { wait: Wait; whom: string } | undefined {
  if (computes) return undefined;
  if (attributes['lantern.wait'] === 'pool') return { wait: 'pool', whom: 'pool' };
  if (attributes['db.query.text']) return { wait: 'database', whom: name };
  if (attributes['server.address']) return { wait: 'http', whom: String(attributes['server.address']) };
  return undefined;
}

function stackOf({ looks }: World, { instance, doing, thread }: UnderWay): readonly Frame[] {
  const now = doing.at(-1);
  if (!now || thread === '') return [];
  const waits = waitOf(now);
  const stacks = waits
    ? waitingStacks(instance.running, waits.wait, waits.whom)
    : stacksOf(instance.running, now.computes ? now.name : 'handle');
  return stacks.length === 1 ? stacks[0].frames : looks.pick(stacks.map((it) => [it, it.weight] as const)).frames;
}

function frameLine({ name, file, line }: Frame): string {
  return `${name} ${file}:${line}`;
}
