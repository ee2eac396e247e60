import { addCalls, type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { blocksOf } from '../../core/verdict/callBlocks.ts';
import { verdicts } from '../../core/verdict/verdict.ts';
import { type PageBlock, visitedPages } from '../../store/rollups/visitedPages.ts';
import type { Window } from '../comparison.ts';
import { describeSum } from '../map/map.ts';
import { blockStep, describeVerdict } from '../verdict/verdicts.ts';

const ORDER = ['failing', 'strained', 'perhaps', 'calm', 'unknown'];

/** The pages of an application of visitors in both windows, the worst first, judged together. */
export async function visitorPages(application: string, { lit, before }: { readonly lit: Window; readonly before: Window }) {
  const step = blockStep(lit);
  const [now, then] = await Promise.all([
    visitedPages(application, lit.from, lit.to, step),
    visitedPages(application, before.from, before.to, step),
  ]);
  const names = [...new Set([...now.keys(), ...then.keys()])];
  const sides = names.map((name) => ({ lit: now.get(name) ?? [], before: then.get(name) ?? [] }));
  const judged = verdicts(sides.map((it) => ({ lit: blocksOf(step, it.lit), before: blocksOf(step, it.before) })));
  return names
    .map((name, at) => ({
      name,
      lit: withoutMean(sides[at].lit),
      before: withoutMean(sides[at].before),
      ...describeVerdict(judged[at]),
    }))
    .sort((a, b) => ORDER.indexOf(a.state) - ORDER.indexOf(b.state) || b.lit.calls - a.lit.calls);
}

/** Of pages only the distribution is rolled up, not the sum. */
function withoutMean(blocks: readonly PageBlock[]) {
  return { ...describeSum(sumOf(blocks)), meanNs: null };
}

function sumOf(blocks: readonly PageBlock[]): CallSum {
  const all = noCalls();
  for (const { calls, failures, sketch } of blocks) addCalls(all, { ...noCalls(), calls, failures, sketch });
  return all;
}
