import type { CallSum } from '../../core/measures/callSum.ts';
import { noCalls } from '../../core/measures/callSum.ts';
import { handledBetween } from '../../store/rollups/traffic.ts';
import { isInRollups } from '../../store/scope/traceFilter.ts';
import type { Window } from '../comparison.ts';
import { trafficIn } from '../map/graphs.ts';
import { serviceVerdicts } from '../verdict/verdicts.ts';
import { byHarm, type Judged, judge } from './groups.ts';

/** Services that are listed, at most. */
const MOST_SERVICES = 60;

/** The services of a scope, and of how many of its requests their figures are. */
export interface ServiceGroups {
  readonly services: readonly (Judged & { readonly name: string })[];
  /** Requests of both windows, and how many of them were looked at. */
  readonly requests: number;
  readonly read: number;
}

/**
 * What each service handled, the most harmed first: from the rollups, or, of a narrowed scope, counted from its traces, which takes seconds
 * where there are thousands.
 */
export async function serviceGroups({ lit, before }: { lit: Window; before: Window }): Promise<ServiceGroups> {
  const [now, then] = await Promise.all([handledIn(lit), handledIn(before)]);
  const counted = !isInRollups(lit) ? { lit: now.handled, before: then.handled } : undefined;
  const verdicts = await serviceVerdicts({ lit, before }, counted);
  const names = new Set([...now.handled.keys(), ...then.handled.keys()]);
  return {
    services: [...names]
      .map((name) => ({
        name,
        ...judge(now.handled.get(name) ?? noCalls(), then.handled.get(name) ?? noCalls(), verdicts.get(name)),
      }))
      .sort(byHarm)
      .slice(0, MOST_SERVICES),
    requests: now.requests + then.requests,
    read: now.read + then.read,
  };
}

interface Handled {
  readonly handled: ReadonlyMap<string, CallSum>;
  readonly requests: number;
  readonly read: number;
}

async function handledIn(window: Window): Promise<Handled> {
  if (isInRollups(window)) return { handled: await handledBetween(window.from, window.to), requests: 0, read: 0 };
  const { traffic, requests, read } = await trafficIn(window);
  return { handled: traffic.handled, requests, read };
}
