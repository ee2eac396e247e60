import type { MapAnswer, MapEdge, MapNode } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import { failureStarts, slownessStarts } from '../../ui/topology/starting.ts';

/** A plate's part in the trouble: it starts it or passes it on; failures come before slowness. */
export type Role = 'starts-failures' | 'starts-slowness' | 'passes-failures' | 'passes-slowness' | 'none';

/** A call's part: it carries failures or slowness up to the caller. */
export type Carries = 'failures' | 'slowness' | 'none';

export interface Roles {
  readonly ofNode: (id: string) => Role;
  /** How much of the trouble comes through a node that only suffers it, 0 to 1. */
  readonly suffers: (id: string) => number;
  readonly ofEdge: (edge: Pick<MapEdge, 'from' | 'to' | 'lit'>) => Carries;
}

type Origin = { readonly node: string; readonly share: number; readonly through: readonly string[] };

/** Who starts and who passes on, by what the samples say, for the nodes of a map: groups and operations take the part of their services. */
export function rolesOf(starts: Starts | undefined, map: Pick<MapAnswer, 'nodes'> | undefined): Roles {
  const failures = failureStarts(starts);
  const slowness = slownessStarts(starts);
  const failing = reach(failures);
  const slow = reach(slowness);
  // What is drawn may be an operation of a service, or a group that it belongs to.
  const partsOf = new Map<string, readonly string[]>();
  for (const node of map?.nodes ?? []) partsOf.set(node.id, servicesOf(node));
  const parts = (id: string) => partsOf.get(id) ?? [id];
  const starting = (origins: readonly Origin[], id: string) => origins.some((it) => parts(id).includes(it.node));
  const passing = (reached: ReadonlySet<string>, id: string) => parts(id).some((part) => reached.has(part));
  const nodeOf = new Map((map?.nodes ?? []).map((node) => [node.id, node]));
  const ofNode = (id: string): Role => {
    // Starts are by service: of its operations, those have a part that are worse themselves.
    const node = nodeOf.get(id);
    if (node && node.operation !== null && node.state !== 'strained' && node.state !== 'failing') return 'none';
    if (starting(failures, id)) return 'starts-failures';
    if (starting(slowness, id)) return 'starts-slowness';
    if (passing(failing, id)) return 'passes-failures';
    return passing(slow, id) ? 'passes-slowness' : 'none';
  };
  const carries = (origins: readonly Origin[], from: string, to: string) =>
    origins.some(({ node, through }) => {
      const isOn = (id: string) => parts(id).some((part) => part === node || through.includes(part));
      return isOn(from) && isOn(to) && !parts(from).includes(node);
    });
  const through = (origins: readonly Origin[], id: string) =>
    origins.reduce((sum, it) => sum + (parts(id).some((part) => it.through.includes(part)) ? it.share : 0), 0);
  return {
    ofNode,
    suffers: (id) => Math.min(1, Math.max(through(failures, id), through(slowness, id))),
    ofEdge: ({ from, to, lit }) => {
      if (lit.failures > 0 && carries(failures, from, to)) return 'failures';
      return lit.calls > 0 && carries(slowness, from, to) ? 'slowness' : 'none';
    },
  };
}

function reach(origins: readonly Origin[]): Set<string> {
  return new Set(origins.flatMap(({ through }) => through));
}

function servicesOf({ id, service, members }: MapNode): readonly string[] {
  if (members.length > 0) return members;
  return service !== null && service !== id ? [id, service] : [id];
}
