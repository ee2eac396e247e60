import type { Instance } from '../world/instance.ts';
import type { World } from '../world/world.ts';
import { event, reporter } from './events.ts';

const KEEPER = reporter('inventory', { 'service.namespace': 'Platform' });
/** Reasons that are trouble, as clusters name them. */
const TROUBLE = new Set(['OOMKilled', 'BackOff', 'Unhealthy', 'FailedScheduling', 'Evicted', 'ErrImagePull']);

/** Something happened to a pod. */
export function reportPodEvent(world: World, { id }: Instance, reason: string, message: string): void {
  objectEvent(world, 'pod', `pod ${id}`, id, reason, message);
}

export function objectEvent(world: World, kind: string, id: string, name: string, reason: string, message: string): void {
  event(world, KEEPER, 'lantern.object.event', {
    'lantern.object.id': id,
    'lantern.object.kind': kind,
    'lantern.object.name': name,
    'lantern.event.reason': reason,
    'lantern.event.message': message,
    'lantern.event.trouble': TROUBLE.has(reason),
  });
}
