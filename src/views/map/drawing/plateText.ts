import type { MapNode } from '../../../api/map/map.ts';
import type { Starts } from '../../../api/map/starts.ts';
import { failureStarts, slownessStarts } from '../../../ui/topology/starting.ts';
import type { Role } from '../roles.ts';
import { plateWords } from '../words.ts';

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

/**
 * What stands over a plate: whose operation it is, since several services have operations of one name, and its part in the trouble.
 *
 * @param startWords as `nodeWords` has them
 */
export function overWords({ service, operation, turn }: MapNode, role: Role, startWords: string): string {
  const starts = startWords === '' ? 'starts here' : `starts here · ${startWords}`;
  const part = role.startsWith('starts') ? starts : turn === 'stays' ? '' : turn;
  return [operation === null ? '' : service, part].filter((it) => it).join(' · ');
}

/**
 * What a plate says beside its name.
 *
 * @param perSecond calls @param isByOperation whether plates are operations: one of a whole service is then of calls of which no more is known
 */
export function figureWords({ kind, operation, lit }: MapNode, perSecond: number, isByOperation: boolean): string {
  return isByOperation && kind === 'service' && operation === null && lit.calls === 0
    ? 'operation not known'
    : plateWords(lit, perSecond);
}

/** What is there is not nothing: of a long window the little that starts at one place too. */
function percent(share: number): string {
  return share < 0.005 ? 'under 1 %' : `${Math.round(share * 100)} %`;
}
