import type { MapNode } from '../../../api/map/map.ts';
import type { Starts } from '../../../api/map/starts.ts';
import { failureStarts, slownessStarts } from '../../../ui/topology/starting.ts';

/** How much of the trouble starts at a node, in few words. */
export function nodeWords(starts: Starts | undefined, { id, service, members }: MapNode): string {
  const isHere = (node: string) => node === id || node === service || members.includes(node);
  const part = (origins: readonly { readonly node: string; readonly share: number }[]) =>
    Math.min(
      1,
      origins.filter((it) => isHere(it.node)).reduce((sum, it) => sum + it.share, 0),
    );
  const failures = part(failureStarts(starts));
  if (failures > 0) return `${percent(failures)} of failures`;
  const slowness = part(slownessStarts(starts));
  return slowness > 0 ? `${percent(slowness)} of the wait` : '';
}

/** What is there is not nothing: of a long window the little that starts at one place too. */
function percent(share: number): string {
  return share < 0.005 ? 'under 1 %' : `${Math.round(share * 100)} %`;
}
