import type { Attributes } from '../../src/core/trace/span.ts';
import type { Instance } from '../world/instance.ts';
import type { Place } from '../world/request.ts';
import { clock, type World } from '../world/world.ts';
import { SCOPE } from './output.ts';

/** OpenTelemetry's severity numbers. */
export const SEVERITY = { debug: 5, info: 9, warn: 13, error: 17, fatal: 21 } as const;
export type Severity = keyof typeof SEVERITY;

/** A line that a program writes while it works on a request. */
export function say(at: Place, severity: Severity, body: string, attributes: Attributes = {}): void {
  const { request, instance, spanId } = at;
  line(request.world, instance, severity, body, attributes, { traceId: request.traceId, spanId: spanId ?? undefined });
}

/** A line that belongs to no request. */
export function line(
  world: World,
  instance: Instance,
  severity: Severity,
  body: string,
  attributes: Attributes = {},
  context: { traceId?: string; spanId?: string } = {},
): void {
  const time = clock(world, instance.machine);
  world.output.log({
    resource: instance.resource,
    scope: SCOPE,
    time,
    severity: SEVERITY[severity],
    body,
    attributes,
    ...context,
  });
}
