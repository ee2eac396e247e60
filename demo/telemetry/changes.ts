import type { Attributes } from '../../src/core/trace/span.ts';
import type { World } from '../world/world.ts';
import { event, reporter } from './events.ts';

export interface Change {
  readonly kind: 'deployment' | 'setting' | 'key' | 'job' | 'schema' | 'infrastructure' | 'other';
  readonly phase?: 'begin' | 'end' | 'done';
  readonly title: string;
  readonly version?: string;
  readonly actor: string;
  readonly detail?: Record<string, string | number>;
}

/** Tells of a change, as whoever made it does. @param resource whose it is; the release desk's when left out */
export function reportChange(world: World, change: Change, resource: Attributes = reporter('release-desk')): void {
  event(world, resource, 'lantern.change', {
    'lantern.change.kind': change.kind,
    'lantern.change.phase': change.phase ?? 'done',
    'lantern.change.title': change.title,
    'lantern.change.actor': change.actor,
    ...(change.version ? { 'service.version': change.version } : {}),
    ...(change.detail ? { 'lantern.change.detail': change.detail } : {}),
  });
}
