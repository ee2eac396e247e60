import { bisectRight } from 'd3-array';
import type { Trace } from '../../trace/assemble.ts';
import type { Nanos, Span } from '../../trace/span.ts';
import { foundInCache } from '../cacheAnswer.ts';
import { peerNode } from '../placeOnMap.ts';

/** Something that was looked up in a cache. */
export interface LookUp {
  /** The node of the map. */
  readonly cache: string;
  /** The service that asked. */
  readonly asker: string;
  /** Whether the cache had it. */
  readonly found: boolean;
}

/** Look-ups below one span, by when they ended. */
interface Below {
  readonly ends: Nanos[];
  readonly lookUps: LookUp[];
}

/**
 * The look-up that time on a critical path came after: the latest that ended before it below the same span, or else below the span that holds
 * that one, and so on; that of a look-up itself is its own. Only look-ups whose spans say whether something was found count.
 *
 * @returns a function of a span, as a position in `Trace.nodes`, and of when its time begins
 */
export function lookUpsBefore(trace: Trace): (at: number, start: Nanos) => LookUp | undefined {
  const { nodes } = trace;
  const own = new Map<number, LookUp>();
  const below = new Map<number, Below>();
  const found = nodes.flatMap((node, at) => {
    const lookUp = lookUpOf(node.span);
    return lookUp ? [{ at, lookUp, node }] : [];
  });
  if (found.length === 0) return () => undefined;
  for (const { at, lookUp, node } of found.sort((a, b) => a.node.end - b.node.end)) {
    own.set(at, lookUp);
    const known = below.get(node.parent) ?? { ends: [], lookUps: [] };
    below.set(node.parent, known);
    known.ends.push(node.end);
    known.lookUps.push(lookUp);
  }
  return (at, start) => {
    const itself = own.get(at);
    if (itself) return itself;
    let until = start;
    for (let node = at; node >= 0; node = nodes[node].parent) {
      const of = below.get(node);
      const ended = of ? bisectRight(of.ends, until) : 0;
      if (ended > 0) return of!.lookUps[ended - 1];
      until = nodes[node].start;
    }
    return undefined;
  };
}

/** What a call looked up, when it is one to a cache that says what came of it. */
function lookUpOf(span: Span): LookUp | undefined {
  const found = foundInCache(span);
  return found === undefined ? undefined : { cache: peerNode(span), asker: span.service, found };
}
