import type { Node, SelectStmt } from '@pgsql/types';
import type { Catalogue } from '../catalogue.ts';
import { replaced, selectsIn } from '../syntax/visit.ts';
import { aggregateBeforeJoin } from './aggregates.ts';
import { conditionCarriedOver } from './carriedOver.ts';
import { cteKeptOrInlined } from './ctes.ts';
import { countOfDistinct, distinctBySteps, distinctSaidOtherwise, firstOfGroup } from './distinct.ts';
import { countToExists, existsToJoin, inToExists, notInToNotExists } from './existence.ts';
import { joinLeftOut } from './joins.ts';
import { keysOfPageFirst, limitBeforeJoin } from './limits.ts';
import { orToBranches } from './orBranches.ts';
import type { Proof, Rule } from './rule.ts';
import { scalarToJoin } from './scalarQueries.ts';
import { searchableConditions } from './searchable.ts';
import { listAsRows } from './valueLists.ts';

/** Those that change conditions alone: they hold for the WHERE of an UPDATE or DELETE, too. */
const OF_CONDITIONS: readonly Rule[] = [searchableConditions, notInToNotExists, countToExists, inToExists, listAsRows];

const RULES: readonly Rule[] = [
  ...OF_CONDITIONS,
  aggregateBeforeJoin,
  scalarToJoin,
  orToBranches,
  existsToJoin,
  conditionCarriedOver,
  limitBeforeJoin,
  keysOfPageFirst,
  firstOfGroup,
  distinctBySteps,
  distinctSaidOtherwise,
  countOfDistinct,
  cteKeptOrInlined,
  joinLeftOut,
];

/** A statement said otherwise. */
export interface RewrittenText {
  readonly text: string;
  readonly tree: Node;
  /** What was done, in the order in which it was. */
  readonly words: readonly string[];
  readonly why: readonly string[];
  /** The weakest of those of its steps. */
  readonly proof: Proof;
}

/** How statements are written from their trees. @throws Error for a tree that cannot be */
export type Write = (tree: Node) => string;

const WEAKER: readonly Proof[] = ['always', 'schema', 'trial'];
/** Changes upon changes. */
const MOST_STEPS = 3;

/**
 * All ways to say a statement otherwise that the rules find, changes upon changes, those with fewer changes first.
 *
 * @param tree the statement itself: {SelectStmt}, {UpdateStmt}, {DeleteStmt}, {InsertStmt}
 * @param most how many at most
 */
export function rewriteAll(tree: Node, catalogue: Catalogue, write: Write, most = 80): RewrittenText[] {
  const seen = new Set([write(tree)]);
  const found: RewrittenText[] = [];
  let latest: RewrittenText[] = [{ text: '', tree, words: [], why: [], proof: 'always' }];
  for (let step = 0; step < MOST_STEPS && latest.length > 0; step++) {
    const next: RewrittenText[] = [];
    for (const from of latest)
      for (const it of onceRewritten(from, catalogue)) {
        if (found.length >= most) return found;
        const text = written(it.tree, write);
        if (text === undefined || seen.has(text)) continue;
        seen.add(text);
        const whole = { ...it, text };
        next.push(whole);
        found.push(whole);
      }
    latest = next;
  }
  return found;
}

function written(tree: Node, write: Write): string | undefined {
  try {
    return write(tree);
  } catch {
    return undefined;
  }
}

function onceRewritten(from: RewrittenText, catalogue: Catalogue): Omit<RewrittenText, 'text'>[] {
  const place = { catalogue, root: from.tree };
  const add = (words: string, why: string, proof: Proof, tree: Node) => ({
    tree,
    words: [...from.words, words],
    why: from.why.includes(why) ? from.why : [...from.why, why],
    proof: WEAKER[Math.max(WEAKER.indexOf(from.proof), WEAKER.indexOf(proof))],
  });
  const selects = selectsIn(from.tree).flatMap(({ path, select }) =>
    RULES.flatMap((rule) =>
      rule(select, place).map((it) => add(it.words, it.why, it.proof, replaced(from.tree, path, it.select))),
    ),
  );
  return [...ofChange(from.tree, place).map(({ tree, words, why, proof }) => add(words, why, proof, tree)), ...selects];
}

/** The WHERE of an UPDATE or DELETE, as that of a SELECT from the same tables. */
function ofChange(tree: Node, place: { catalogue: Catalogue; root: unknown }) {
  const changing =
    'UpdateStmt' in tree
      ? { relation: tree.UpdateStmt.relation, others: tree.UpdateStmt.fromClause, whereClause: tree.UpdateStmt.whereClause }
      : 'DeleteStmt' in tree
        ? { relation: tree.DeleteStmt.relation, others: tree.DeleteStmt.usingClause, whereClause: tree.DeleteStmt.whereClause }
        : undefined;
  if (!changing?.relation || !changing.whereClause) return [];
  const { relation, others = [], whereClause } = changing;
  const as: SelectStmt = { op: 'SETOP_NONE', fromClause: [{ RangeVar: relation }, ...others], whereClause };
  return OF_CONDITIONS.flatMap((rule) => rule(as, place)).map(({ select, ...it }) => {
    const where = { whereClause: select.whereClause };
    const changed: Node =
      'UpdateStmt' in tree
        ? { UpdateStmt: { ...tree.UpdateStmt, ...where } }
        : { DeleteStmt: { ...('DeleteStmt' in tree ? tree.DeleteStmt : {}), ...where } };
    return { ...it, tree: changed };
  });
}
