import { z } from 'zod';
import type { CallSum } from '../../core/measures/callSum.ts';
import { quantiles } from '../../core/measures/sketch.ts';
import { type ComparedEdge, type ComparedGraph, compareGraphs } from '../../core/topology/compareGraphs.ts';
import { graphOf } from '../../core/topology/graph.ts';
import { NODE_KINDS } from '../../core/topology/node.ts';
import type { OverTime } from '../../core/topology/nodeFigures.ts';
import { type SumPair, sumVerdicts } from '../../core/verdict/sumVerdicts.ts';
import type { State } from '../../core/verdict/verdict.ts';
import { addressees } from '../../store/rollups/traffic.ts';
import { isInRollups } from '../../store/scope/traceFilter.ts';
import type { Window } from '../comparison.ts';
import { trafficIn, type WindowTraffic } from '../map/graphs.ts';
import { describeEdge, describeSum, edgeAnswer, sumAnswer } from '../map/map.ts';
import { serviceVerdicts, stateAnswer } from '../verdict/verdicts.ts';

/*
 * What the pages of services and of peers have in common.
 */

export type SumPoint = z.output<typeof sumPoint>;

export const comparedAnswer = { lit: sumAnswer, before: sumAnswer, state: stateAnswer };
const sumPoint = z.object({
  at: z.number(),
  calls: z.int(),
  failures: z.int(),
  p50Ns: z.number().nullable(),
  p95Ns: z.number().nullable(),
  p99Ns: z.number().nullable(),
});
export const seriesAnswer = z.object({
  stepMs: z.number(),
  lit: z.array(sumPoint),
  before: z.array(sumPoint),
});
/** Calls with what kind of thing stands at either end. */
export const endsAnswer = edgeAnswer.extend({ fromKind: z.enum(NODE_KINDS), toKind: z.enum(NODE_KINDS) });
/** Of how many of the requests the figures are. */
export const readAnswer = z
  .object({ lit: z.int(), litOf: z.int(), before: z.int(), beforeOf: z.int() })
  .meta({ description: 'Requests of the scope, and of how many of them the figures are: all, or a sample.' });

export interface BothSides<T> {
  readonly lit: T;
  readonly before: T;
}

/** The traffic of both windows. */
export async function trafficOfBoth({ lit, before }: BothSides<Window>): Promise<BothSides<WindowTraffic>> {
  const [now, then] = await Promise.all([trafficIn(lit), trafficIn(before)]);
  return { lit: now, before: then };
}

/** The map of the traffic of both windows. */
export async function graphOfBoth(windows: BothSides<Window>, { lit, before }: BothSides<WindowTraffic>): Promise<ComparedGraph> {
  const addressee = await addressees();
  const lengthOf = ({ from, to }: Window) => Number(to - from);
  const counted = !isInRollups(windows.lit) ? { lit: lit.traffic.handled, before: before.traffic.handled } : undefined;
  return compareGraphs(
    graphOf(lit.traffic, addressee),
    graphOf(before.traffic, addressee),
    lengthOf(windows.lit) / lengthOf(windows.before),
    await serviceVerdicts(windows, counted),
  );
}

export function describeRead({ lit, before }: BothSides<WindowTraffic>): z.output<typeof readAnswer> {
  return { lit: lit.read, litOf: lit.requests, before: before.read, beforeOf: before.requests };
}

export function describeEnds({ nodes }: ComparedGraph): (edge: ComparedEdge) => z.output<typeof endsAnswer> {
  const kinds = new Map(nodes.map(({ id, kind }) => [id, kind]));
  return (edge) => ({ ...describeEdge(edge), fromKind: kinds.get(edge.from)!, toKind: kinds.get(edge.to)! });
}

/** Windows are drawn in about so many stretches. */
const STRETCHES = 40;
const MINUTE_NS = 60_000_000_000n;

/** Minutes that are drawn as one. */
export function stepOf({ lit, before }: BothSides<Window>): number {
  const longest = Math.max(...[lit, before].map(({ from, to }) => Number((to - from) / MINUTE_NS)));
  return Math.max(1, Math.ceil(longest / STRETCHES));
}

export function describePair(lit: CallSum, before: CallSum, state: State) {
  return { lit: describeSum(lit), before: describeSum(before), state };
}

/** Rows of one list, judged together; one that was not there before is held against the others. */
export function describePairs<T extends SumPair & BothSides<CallSum>>(rows: readonly T[]) {
  const verdicts = sumVerdicts(rows, 'siblings');
  return rows.map(({ lit, before, ...rest }, at) => ({ ...rest, ...describePair(lit, before, verdicts[at].state) }));
}

/** @param step minutes of a stretch */
export function describeSeries({ lit, before }: BothSides<OverTime>, step: number): z.output<typeof seriesAnswer> {
  const points = (of: OverTime): SumPoint[] =>
    [...of]
      .sort(([a], [b]) => a - b)
      .map(([stretch, { calls, failures, sketch }]) => {
        const [p50Ns, p95Ns, p99Ns] = quantiles(sketch, [0.5, 0.95, 0.99]);
        return { at: stretch * step * 60_000, calls, failures, p50Ns, p95Ns, p99Ns };
      });
  return { stepMs: step * 60_000, lit: points(lit), before: points(before) };
}

export function byCalls(a: { lit: { calls: number } }, b: { lit: { calls: number } }): number {
  return b.lit.calls - a.lit.calls;
}
