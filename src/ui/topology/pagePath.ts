import type { MapNode } from '../../api/map/map.ts';

/** The path of the page about a node; undefined where there is none. */
export function pagePath({ id, kind, service }: Pick<MapNode, 'id' | 'kind' | 'service'>): string | undefined {
  if (kind === 'group') return undefined;
  return kind === 'service' ? `/services/${encodeURIComponent(service ?? id)}` : `/peers/${encodeURIComponent(id)}`;
}

const PEER = /^(database|cache|queue):/;

/** The name of a node that is known by its id alone. */
export function nameOfNode(id: string): string {
  return id.replace(PEER, '');
}
