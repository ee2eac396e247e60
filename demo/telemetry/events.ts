import type { Attributes } from '../../src/core/trace/span.ts';
import { clock, type World } from '../world/world.ts';
import { SCOPE } from './output.ts';

/** Resources of those that report without being a service of the company. */
const REPORTERS = new Map<string, Attributes>();

/** Who reports: one object a name, so that what it reports stands together. */
export function reporter(name: string, more: Attributes = {}): Attributes {
  let resource = REPORTERS.get(name);
  if (!resource) {
    resource = { 'service.name': name, 'deployment.environment.name': 'reach-live', ...more };
    REPORTERS.set(name, resource);
  }
  return resource;
}

/** An event under one of the names that docs/events.md lists. */
export function event(
  world: World,
  resource: Attributes,
  name: string,
  attributes: Attributes,
  context: { traceId?: string; spanId?: string } = {},
  time = clock(world),
): void {
  world.output.log({ resource, scope: SCOPE, time, severity: 0, body: null, attributes, event: name, ...context });
}
