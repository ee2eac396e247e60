import { addCalls, type CallSum, noCalls } from '../measures/callSum.ts';
import { edgeKey } from './compareGraphs.ts';
import type { Graph, GraphEdge, GraphNode } from './graph.ts';

/**
 * The graph with some nodes drawn as one: calls within a group are left out, those of its members to the outside are the group's.
 *
 * @param groupOf the name of the group that a node is drawn as; undefined for one that stands by itself
 */
export function collapse({ nodes, edges }: Graph, groupOf: (node: GraphNode) => string | undefined): Graph {
  const groups = new Map<string, GraphNode & { members: string[] }>();
  const idOf = new Map<string, string>();
  const kept: GraphNode[] = [];
  for (const node of nodes) {
    const name = groupOf(node);
    if (name === undefined) {
      kept.push(node);
      continue;
    }
    const id = `group:${name}`;
    idOf.set(node.id, id);
    let group = groups.get(id);
    if (!group) {
      group = { id, kind: 'group', name, figures: noCalls(), members: [] };
      groups.set(id, group);
    }
    group.members.push(node.id);
    addCalls(group.figures, node.figures);
  }
  const joined = new Map<string, GraphEdge>();
  for (const edge of edges) {
    const from = idOf.get(edge.from) ?? edge.from;
    const to = idOf.get(edge.to) ?? edge.to;
    if (from === to && idOf.has(edge.from)) continue;
    const ends = { from, to, protocol: edge.protocol };
    const known = joined.get(edgeKey(ends)) ?? { ...ends, caller: noCalls(), callee: noCalls() };
    joined.set(edgeKey(ends), known);
    addCalls(known.caller, edge.caller);
    addCalls(known.callee, edge.callee);
  }
  return { nodes: [...kept, ...groups.values()], edges: [...joined.values()] };
}

/** The same graph with every sum of calls turned into another. */
export function mapSums({ nodes, edges }: Graph, turn: (sum: CallSum) => CallSum): Graph {
  return {
    nodes: nodes.map((node) => ({ ...node, figures: turn(node.figures) })),
    edges: edges.map((edge) => ({ ...edge, caller: turn(edge.caller), callee: turn(edge.callee) })),
  };
}
