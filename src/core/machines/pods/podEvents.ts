import type { PodEvent } from './podPatterns.ts';
import { uidOf } from './podUids.ts';

/** Two reports of one kill, by the cluster and by the machine, are no further apart. */
const SAME_MS = 60_000;

/**
 * What happened to a pod, in order of time. A kill that both the cluster and the machine report is listed once, as the cluster reports it.
 */
export function podEvents(events: readonly (PodEvent & { readonly objectId: string })[]): PodEvent[] {
  const isOfMachine = ({ objectId }: { readonly objectId: string }) => uidOf(objectId) !== undefined;
  const kills = events.filter((it) => !isOfMachine(it) && /OOM/i.test(it.reason));
  return events
    .filter((it) => !isOfMachine(it) || !kills.some(({ at }) => Math.abs(at - it.at) <= SAME_MS))
    .sort((a, b) => a.at - b.at);
}
