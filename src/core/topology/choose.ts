/** What is needed of nodes and edges to choose among them. */
interface Ends {
  readonly from: string;
  readonly to: string;
}

/** How far around a node: steps against and along the calls. */
export interface Reach {
  readonly up: number;
  readonly down: number;
}

/** The nodes within reach of one: those that call it, at so many removes, and those that it calls; itself among them. */
export function neighbourhood(edges: readonly Ends[], centre: string, { up, down }: Reach): Set<string> {
  const found = new Set([centre]);
  for (const at of walk(edges, centre, up, ({ from, to }) => [to, from])) found.add(at);
  for (const at of walk(edges, centre, down, ({ from, to }) => [from, to])) found.add(at);
  return found;
}

function walk(edges: readonly Ends[], centre: string, steps: number, way: (edge: Ends) => [string, string]): Set<string> {
  const next = new Map<string, string[]>();
  for (const edge of edges) {
    const [here, there] = way(edge);
    const known = next.get(here);
    if (known) known.push(there);
    else next.set(here, [there]);
  }
  const seen = new Set([centre]);
  let edge = [centre];
  for (let step = 0; step < steps && edge.length > 0; step++) {
    const beyond = edge.flatMap((at) => next.get(at) ?? []).filter((at) => !seen.has(at));
    for (const at of beyond) seen.add(at);
    edge = [...new Set(beyond)];
  }
  return seen;
}

/** Every node through which a request may come that reaches one: all that call it, at any remove. */
export function callersOf(edges: readonly Ends[], centre: string): Set<string> {
  const found = neighbourhood(edges, centre, { up: Number.POSITIVE_INFINITY, down: 0 });
  found.delete(centre);
  return found;
}
