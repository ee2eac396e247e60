import { type PageMinutes, pageSeries } from '../../core/incidents/pageSeries.ts';
import { addCalls, type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { blocksOf } from '../../core/verdict/callBlocks.ts';
import { verdicts } from '../../core/verdict/verdict.ts';
import { visitedPages } from '../../store/rollups/visitedPages.ts';
import type { Window } from '../comparison.ts';
import { describeSum } from '../map/map.ts';
import { describeVerdict } from '../verdict/verdicts.ts';

const MINUTE_NS = 60_000_000_000n;
const ORDER = ['failing', 'strained', 'perhaps', 'calm', 'unknown'];

/** The pages of an application of visitors in both windows, the worst first, judged together. */
export async function visitorPages(application: string, { lit, before }: { readonly lit: Window; readonly before: Window }) {
  const [now, then] = await Promise.all([
    visitedPages(application, lit.from, lit.to),
    visitedPages(application, before.from, before.to),
  ]);
  const names = [...new Set([...now.keys(), ...then.keys()])];
  const sides = names.map((name) => ({ lit: minutesIn(now.get(name), lit), before: minutesIn(then.get(name), before) }));
  const judged = verdicts(sides.map((it) => ({ lit: blocksOf(1, it.lit), before: blocksOf(1, it.before) })));
  return names
    .map((name, at) => ({
      name,
      lit: withoutMean(sides[at].lit),
      before: withoutMean(sides[at].before),
      ...describeVerdict(judged[at]),
    }))
    .sort((a, b) => ORDER.indexOf(a.state) - ORDER.indexOf(b.state) || b.lit.calls - a.lit.calls);
}

function minutesIn(minutes: PageMinutes | undefined, { from, to }: Window) {
  const series = pageSeries(minutes ?? new Map(), Number(from / MINUTE_NS), Number((to - 1n) / MINUTE_NS));
  return series.minutes.flatMap((it, at) => (it ? [{ at: series.firstMinute + at, ...it }] : []));
}

/** Of pages only the distribution is rolled up, not the sum. */
function withoutMean(blocks: ReturnType<typeof minutesIn>) {
  return { ...describeSum(sumOf(blocks)), meanNs: null };
}

function sumOf(blocks: ReturnType<typeof minutesIn>): CallSum {
  const all = noCalls();
  for (const { calls, failures, sketch } of blocks) addCalls(all, { ...noCalls(), calls, failures, sketch });
  return all;
}
