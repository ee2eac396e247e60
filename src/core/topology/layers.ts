interface Ends {
  readonly from: string;
  readonly to: string;
}

/**
 * The layer of each node of a graph, from 0: one more than the last of those that call it. Calls that close a circle, as they are found when
 * going through the nodes in the order given, do not count.
 */
export function layersOf(ids: readonly string[], edges: readonly Ends[]): Map<string, number> {
  const callees = new Map<string, string[]>(ids.map((id) => [id, []]));
  for (const { from, to } of edges) if (from !== to && callees.has(to)) callees.get(from)?.push(to);
  const under = new Set<string>();
  const done = new Set<string>();
  const closing = new Set<string>();
  const order: string[] = [];
  for (const root of ids) {
    if (done.has(root)) continue;
    const path = [{ id: root, next: 0 }];
    under.add(root);
    while (path.length > 0) {
      const at = path[path.length - 1];
      const to = callees.get(at.id)![at.next++];
      if (to === undefined) {
        path.pop();
        under.delete(at.id);
        done.add(at.id);
        order.push(at.id);
      } else if (under.has(to)) closing.add(`${at.id}\0${to}`);
      else if (!done.has(to)) {
        under.add(to);
        path.push({ id: to, next: 0 });
      }
    }
  }
  const layers = new Map(ids.map((id) => [id, 0]));
  for (const id of order.reverse())
    for (const to of callees.get(id)!)
      if (!closing.has(`${id}\0${to}`)) layers.set(to, Math.max(layers.get(to)!, layers.get(id)! + 1));
  return layers;
}
