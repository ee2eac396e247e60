import type { PodEvent } from './podPatterns.ts';
import { uidOf } from './podUids.ts';

/** The cluster and the machine tell of one kill within this time of each other. */
const SAME_MS = 60_000;

/**
 * What happened to a pod, in order of time. A kill of which its machine tells, by the pod's uid, is left out where the cluster tells of it, too.
 */
export function podEvents(events: readonly (PodEvent & { readonly objectId: string })[]): PodEvent[] {
  const isOfMachine = ({ objectId }: { readonly objectId: string }) => uidOf(objectId) !== undefined;
  const kills = events.filter((it) => !isOfMachine(it) && /OOM/i.test(it.reason));
  return events
    .filter((it) => !isOfMachine(it) || !kills.some(({ at }) => Math.abs(at - it.at) <= SAME_MS))
    .sort((a, b) => a.at - b.at);
}
