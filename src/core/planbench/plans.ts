import { type PlanNode, planSteps } from '../database/planTree.ts';

/** A subquery whose rows are put into a hash table once, where others are run through for each row. */
const HASHED = /hashed SubPlan \d+/g;

/**
 * What makes two plans the same plan: the kinds of their steps, the tables and indexes, their order, and which subqueries of conditions are hashed, which
 * a plan tells in the text of its conditions alone. Guesses and costs are not part of it.
 */
export function planShape(root: PlanNode): string {
  const hashed = root.conditions.flatMap((it) => it.match(HASHED) ?? []).join(' ');
  const own = [root.type, root.strategy, root.relation, root.index, hashed].filter(Boolean).join(' ');
  return root.children.length === 0 ? own : `${own}(${root.children.map(planShape).join(',')})`;
}

/** A step of one plan and the step of another that does like work. */
export interface PlanPair {
  readonly left: number;
  readonly right: number;
  /** How many times less time the right one takes, when both were timed. */
  readonly ratio: number | null;
}

/**
 * Matches steps of two plans by the work they do: scans by their table, joins by the tables below them, sorts and groups by theirs. Numbers are those
 * of `planSteps`. Each step is matched once at most.
 */
export function planPairs(left: PlanNode, right: PlanNode): PlanPair[] {
  const [mine, others] = [planSteps(left), planSteps(right)];
  const free = new Set(others.keys());
  const pairs: PlanPair[] = [];
  const take = (isLike: (a: PlanNode, b: PlanNode) => boolean) => {
    for (const [at, it] of mine.entries()) {
      if (pairs.some((pair) => pair.left === at)) continue;
      const found = [...free].find((index) => isLike(it, others[index]));
      if (found === undefined) continue;
      free.delete(found);
      const [a, b] = [ownMs(it), ownMs(others[found])];
      pairs.push({ left: at, right: found, ratio: a !== null && b !== null && b > 0 ? a / b : null });
    }
  };
  const below = (it: PlanNode) =>
    planSteps(it)
      .flatMap(({ relation }) => (relation ? [relation] : []))
      .sort()
      .join(' ');
  take((a, b) => a.relation !== '' && a.relation === b.relation && a.type === b.type);
  take((a, b) => a.relation !== '' && a.relation === b.relation);
  take((a, b) => kindOf(a) === kindOf(b) && kindOf(a) !== '' && below(a) === below(b));
  take((a, b) => kindOf(a) === 'join' && kindOf(b) === 'join' && a.children.length > 0 && isPart(below(a), below(b)));
  return pairs.sort((a, b) => a.left - b.left);
}

function isPart(a: string, b: string): boolean {
  const [few, many] = a.length <= b.length ? [a, b] : [b, a];
  return few !== '' && few.split(' ').every((it) => many.split(' ').includes(it));
}

function kindOf({ type }: PlanNode): string {
  if (/Join|Nested Loop/.test(type)) return 'join';
  if (/Aggregate|Group|Unique/.test(type)) return 'group';
  if (/Sort/.test(type)) return 'sort';
  return type;
}

/** Milliseconds that a step took without those below it; null when it was not timed. */
export function ownMs(it: PlanNode): number | null {
  if (it.seenMs === null) return null;
  return Math.max(0, it.seenMs - it.children.reduce((sum, child) => sum + (child.seenMs ?? 0), 0));
}

/** Steps whose rows were guessed worst, by how many times. */
export function worstGuess(
  root: PlanNode,
): { readonly step: PlanNode; readonly factor: number; readonly isTooLow: boolean } | undefined {
  const guesses = planSteps(root).flatMap((step) => {
    if (step.seenRows === null) return [];
    const [guessed, seen] = [Math.max(1, step.rows * step.loops), Math.max(1, step.seenRows)];
    return [{ step, factor: Math.max(guessed, seen) / Math.min(guessed, seen), isTooLow: seen > guessed }];
  });
  return guesses.sort((a, b) => b.factor - a.factor)[0];
}
