import type { Node } from '@pgsql/types';
import { parsePlan } from '../core/database/planTree.ts';
import { type IndexCandidate, indexCandidates } from '../core/planbench/candidates/indexes.ts';
import { settingsCandidates } from '../core/planbench/candidates/settings.ts';
import { statisticsCandidates } from '../core/planbench/candidates/statistics.ts';
import type { Catalogue } from '../core/planbench/catalogue.ts';
import { planShape } from '../core/planbench/plans.ts';
import { rewriteAll } from '../core/planbench/rewrites/rewriteAll.ts';
import type { LeftOut, TrialKind } from '../core/planbench/trial.ts';
import { writeStatement } from '../formats/database/statementTree.ts';
import { type Attempt, applySettings, explain } from './attempt.ts';
import type { TrialSession } from './session.ts';

const MOST_INDEXES = 60;
/** Built to look at their plans, where the server has no hypothetical ones. */
const MOST_BUILT = 12;
const TEXTS_WITH_INDEXES = 8;
const TEXTS_WITH_SETTINGS = 3;
/** An index with more in it has to be that much cheaper than a simpler one. */
const WORTH_MORE = 0.95;

interface Search {
  readonly session: TrialSession;
  readonly values: readonly string[];
  readonly kinds: readonly TrialKind[];
  /** Whether the statement changes rows: then it is planned as who may. */
  readonly writes: boolean;
  readonly isStopped: () => boolean;
}

export interface Found {
  readonly original: Attempt;
  /** Cheaper ones first, as the planner guesses. */
  readonly attempts: readonly Attempt[];
  readonly leftOut: readonly LeftOut[];
  readonly looked: number;
}

/**
 * Looks for ways to run a statement whose plans differ: other texts, settings, indexes that are not there, and statistics. Nothing of the statement
 * runs; each is planned in a transaction that is rolled back.
 */
export async function findAttempts(tree: Node, text: string, catalogue: Catalogue, search: Search): Promise<Found> {
  const { session, values, kinds, writes, isStopped } = search;
  const leftOut: LeftOut[] = [];
  let looked = 0;
  const none = {
    kinds: [] as TrialKind[],
    why: [] as string[],
    proof: 'always' as const,
    settings: {},
    indexes: [],
    statistics: [],
  };
  const planned = async (it: Omit<Attempt, 'cost' | 'plan' | 'shape'>): Promise<Attempt> => {
    looked++;
    const { plan, cost } = await explain(session, it.text, values);
    return { ...it, cost, plan: namedPlan(plan), shape: planShape(parsePlan(namedPlan(plan))!) };
  };
  const original = await session.rolledBack(writes, () => planned({ ...none, words: 'as it runs now', text }));
  const seen = new Map<string, string>([[original.shape, 'the original']]);
  const kept: Attempt[] = [];
  const take = (it: Attempt): boolean => {
    const known = seen.get(it.shape);
    if (known !== undefined) leftOut.push({ because: 'same plan', words: it.words, detail: `that of ${known}` });
    else {
      seen.set(it.shape, it.words);
      kept.push(it);
    }
    return known === undefined;
  };
  const attempt = async (it: Omit<Attempt, 'cost' | 'plan' | 'shape'>, before: () => Promise<void> = async () => {}) => {
    try {
      return await session.rolledBack(writes, async () => {
        await before();
        return planned(it);
      });
    } catch (error) {
      leftOut.push({ because: 'cannot be run', words: it.words, detail: (error as Error).message });
      return undefined;
    }
  };

  const texts: { tree: Node; attempt: Attempt }[] = [];
  const rewritten = kinds.includes('text') || kinds.includes('index') ? rewriteAll(tree, catalogue, writeStatement) : [];
  for (const it of rewritten) {
    if (isStopped()) break;
    const own = await attempt({
      ...none,
      kinds: ['text'],
      words: it.words.join('; '),
      why: it.why,
      proof: it.proof,
      text: it.text,
    });
    if (!own) continue;
    texts.push({ tree: it.tree, attempt: own });
    if (kinds.includes('text')) take(own);
  }
  const cheap = [...texts].sort((a, b) => a.attempt.cost - b.attempt.cost);
  if (kinds.includes('setting'))
    for (const of of [{ attempt: original }, ...cheap.slice(0, TEXTS_WITH_SETTINGS).filter(() => kinds.includes('text'))])
      for (const it of settingsCandidates()) {
        if (isStopped()) break;
        const words = of.attempt === original ? it.words : `${of.attempt.words}; ${it.words}`;
        const own = await attempt(
          {
            ...of.attempt,
            kinds: [...of.attempt.kinds, 'setting'],
            words,
            why: [...of.attempt.why, it.why],
            settings: it.values,
          },
          () => applySettings(session, it.values),
        );
        if (own) take(own);
      }
  if (kinds.includes('index')) {
    // A text that changes nothing by itself may do so with an index.
    const bases = [
      { tree, attempt: original },
      ...(kinds.includes('text') ? [...texts.slice(0, TEXTS_WITH_INDEXES), ...cheap.slice(0, 4)] : []),
    ];
    await withIndexes([...new Set(bases)], catalogue, { ...search, planned, take, leftOut });
  }
  const attempts = kept.sort((a, b) => a.cost - b.cost);
  if (kinds.includes('statistics') && session.server.use === 'copy')
    for (const it of statisticsCandidates(tree, catalogue))
      attempts.push({
        ...original,
        kinds: ['statistics'],
        words: it.words,
        why: [it.why],
        statistics: it.commands,
        shape: it.words,
      });
  return { original, attempts, leftOut, looked };
}

interface IndexSearch extends Search {
  readonly planned: (it: Omit<Attempt, 'cost' | 'plan' | 'shape'>) => Promise<Attempt>;
  readonly take: (it: Attempt) => boolean;
  readonly leftOut: LeftOut[];
}

async function withIndexes(
  bases: readonly { tree: Node; attempt: Attempt }[],
  catalogue: Catalogue,
  search: IndexSearch,
): Promise<void> {
  const { session, writes, isStopped, planned, take, leftOut } = search;
  const [known] = await session.rows("SELECT FROM pg_extension WHERE extname = 'hypopg'");
  const isHypothetical = known !== undefined;
  if (!isHypothetical && session.server.use !== 'copy') {
    leftOut.push({
      because: 'cannot be run',
      words: 'indexes that are not there',
      detail: `${session.server.name} lacks the extension hypopg, and nothing is built on a server that others use`,
    });
    return;
  }
  const most = isHypothetical ? MOST_INDEXES : MOST_BUILT;
  for (const { tree, attempt: base } of bases) {
    const candidates = indexCandidates(tree, catalogue, writeStatement).slice(0, most);
    const cheaper: { index: IndexCandidate; attempt: Attempt }[] = [];
    const look = async (indexes: readonly IndexCandidate[]): Promise<Attempt | undefined> => {
      if (isStopped()) return undefined;
      const of = indexes.map(({ definition }) => definition);
      const own = indexes.map(({ words }) => words).join(' and ');
      const it = {
        ...base,
        kinds: ['index' as const, ...base.kinds],
        words: base.kinds.length === 0 ? own : `${own}; ${base.words}`,
        why: [...indexes.map(({ why }) => why), ...base.why],
        indexes: of,
      };
      try {
        return await session.rolledBack(writes || !isHypothetical, async () => {
          await (isHypothetical ? assume(session, of) : build(session, of));
          try {
            return await planned(it);
          } finally {
            if (isHypothetical) await session.do('SELECT hypopg_reset()').catch(() => {});
          }
        });
      } catch (error) {
        leftOut.push({ because: 'cannot be run', words: it.words, detail: (error as Error).message });
        return undefined;
      }
    };
    for (const index of candidates) {
      const own = await look([index]);
      if (!own) continue;
      if (!usesAll(own)) {
        leftOut.push({ because: 'same plan', words: own.words, detail: 'the planner does not use it' });
        continue;
      }
      // Of an index with the same keys and more besides; other keys may be better than the planner guesses.
      const simpler = cheaper.find(
        (it) =>
          index.definition.startsWith(it.index.definition) &&
          index.definition !== it.index.definition &&
          own.cost > it.attempt.cost * WORTH_MORE,
      );
      if (simpler) leftOut.push({ because: 'no cheaper', words: own.words, detail: `than ${simpler.attempt.words}` });
      else if (take(own)) cheaper.push({ index, attempt: own });
    }
    const best = [...cheaper].sort((a, b) => a.attempt.cost - b.attempt.cost).slice(0, 4);
    for (const [at, a] of best.entries())
      for (const b of best.slice(at + 1)) {
        const own = await look([a.index, b.index]);
        if (own && usesAll(own) && own.cost < Math.min(a.attempt.cost, b.attempt.cost) * WORTH_MORE) take(own);
      }
  }
}

async function assume(session: TrialSession, indexes: readonly string[]): Promise<void> {
  for (const definition of indexes) await session.rows('SELECT hypopg_create_index($1)', [definition]);
}

async function build(session: TrialSession, indexes: readonly string[]): Promise<void> {
  for (const [at, definition] of indexes.entries()) await session.do(withName(definition, `trial_look_${at}`));
}

/** The definition of an index under a name. */
export function withName(definition: string, name: string): string {
  return definition.replace(/^CREATE INDEX ON/, `CREATE INDEX ${name} ON`);
}

/** Whether the plan uses every index that was made for it. */
function usesAll({ plan, indexes }: Attempt): boolean {
  return new Set(plan.match(/"<new>[^"]*"|"trial_look_\d+"/g) ?? []).size >= indexes.length;
}

/** Hypothetical indexes are named with numbers that change from plan to plan. */
function namedPlan(plan: string): string {
  return plan.replaceAll(/"<\d+>([^"]*)"/g, '"<new>$1"');
}
