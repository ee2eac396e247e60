import type { Trace } from '../assemble.ts';
import { databaseSystem } from '../peer.ts';
import type { Nanos } from '../span.ts';
import type { PathSegment } from '../time/criticalPath.ts';
import { likeNumbers } from './like.ts';

/** Children of one span that are alike: same service, operation and kind. Lists are positions in `Trace.nodes`. */
export interface FoldedSiblings {
  readonly parent: number;
  /** By start. */
  readonly members: readonly number[];
  /** Sum of their durations; more than the parent's when they ran beside each other. */
  readonly totalNs: Nanos;
  readonly minNs: Nanos;
  /** The lower of the two in the middle. */
  readonly medianNs: Nanos;
  readonly maxNs: Nanos;
  /** What they and all below them have of the critical path. */
  readonly onPathNs: Nanos;
  readonly failed: number;
  /** Many small queries: the same database call again and again, where one would do. */
  readonly manySmall: boolean;
}

const LEAST_FOLDED = 4;
const LEAST_QUERIES = 10;
/** Of the parent's duration. */
const LEAST_SHARE = 0.2;

/** Like siblings of which there are at least four, in the order of their parents, then of their first members. O(n log n). */
export function foldSiblings(trace: Trace, path: readonly PathSegment[]): FoldedSiblings[] {
  const onPath = pathBelow(trace, path);
  const numbers = likeNumbers(trace);
  return trace.nodes.flatMap(({ children }, parent) => {
    if (children.length < LEAST_FOLDED) return [];
    const like = new Map<number, number[]>();
    for (const child of children) {
      const members = like.get(numbers[child]);
      if (members) members.push(child);
      else like.set(numbers[child], [child]);
    }
    return [...like.values()]
      .filter((members) => members.length >= LEAST_FOLDED)
      .map((members) => describe(trace, parent, members, onPath));
  });
}

function describe(trace: Trace, parent: number, members: readonly number[], onPath: Float64Array): FoldedSiblings {
  const { nodes } = trace;
  const lengths = members.map((at) => nodes[at].end - nodes[at].start).sort((a, b) => a - b);
  const totalNs = lengths.reduce((sum, it) => sum + it, 0);
  const { span } = nodes[members[0]];
  return {
    parent,
    members,
    totalNs,
    minNs: lengths[0],
    medianNs: lengths[(lengths.length - 1) >> 1],
    maxNs: lengths[lengths.length - 1],
    onPathNs: members.reduce((sum, at) => sum + onPath[at], 0),
    failed: members.filter((at) => nodes[at].span.status === 'error').length,
    manySmall:
      members.length >= LEAST_QUERIES &&
      span.kind === 'client' &&
      databaseSystem(span.attributes) !== undefined &&
      totalNs >= LEAST_SHARE * (nodes[parent].end - nodes[parent].start),
  };
}

/** Per node: what it and all below it have of the critical path. */
function pathBelow({ nodes }: Trace, path: readonly PathSegment[]): Float64Array {
  const sums = new Float64Array(nodes.length);
  for (const { node, start, end } of path) sums[node] += end - start;
  // Depth-first order: from the back, a node is complete before it is added to its parent.
  for (let at = nodes.length - 1; at >= 0; at--) if (nodes[at].parent >= 0) sums[nodes[at].parent] += sums[at];
  return sums;
}
