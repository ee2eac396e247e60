import { formatShare } from '../incidents/words.ts';
import { type PlanNode, planSteps } from './planTree.ts';
import { CLASS_WORDS, WAIT_CLASSES } from './waitClasses.ts';

/** What is known of one statement, lit against before. */
export interface StatementEvidence {
  /** Average active sessions by class. */
  readonly lit: readonly number[];
  readonly cost: CostOfCall | null;
  readonly costBefore: CostOfCall | null;
  /** The plan that is in force, and the one before it when it changed lately. */
  readonly plan: PlanNode | null;
  readonly changed: {
    readonly words: readonly string[];
    readonly meanBeforeMs: number | null;
    readonly meanAfterMs: number | null;
  } | null;
  /** Who held the locks that it waited for, by share of that waiting. */
  readonly holders: readonly { readonly who: string; readonly share: number; readonly idleShare: number }[];
  /** The program that runs most of it. */
  readonly program: string;
}

/** What one call of a statement costs on average. */
export interface CostOfCall {
  readonly calls: number;
  readonly ms: number;
  readonly rows: number;
  readonly blocksHit: number;
  readonly blocksRead: number;
  readonly blocksTemporary: number;
}

/** A piece of advice with what it rests on. */
export interface Advice {
  readonly words: string;
  readonly evidence: string;
}

/** Blocks that are looked at for each row that is given: more of them say that most of what is read is thrown away. */
const MANY_BLOCKS_A_ROW = 50;
const LEAST_SHARE = 0.3;

/** What to do about a statement's main wait, each with the evidence of this very statement. Empty when nothing stands out. */
export function statementAdvice(it: StatementEvidence): Advice[] {
  const all = it.lit.reduce((sum, value) => sum + value, 0);
  const advice: Advice[] = [];
  const { cost, costBefore, changed, plan } = it;
  const share = (name: (typeof WAIT_CLASSES)[number]) => (all === 0 ? 0 : it.lit[WAIT_CLASSES.indexOf(name)] / all);
  if (changed && changed.words.length > 0) {
    const slower = changed.meanBeforeMs && changed.meanAfterMs ? changed.meanAfterMs / changed.meanBeforeMs : null;
    if (slower === null || slower >= 1.25)
      advice.push({
        words:
          'Its plan changed. Look at what was changed in the schema or the statistics at that time; an index that is gone has to be made again.',
        evidence: `${changed.words.join('; ')}${slower === null ? '' : `; a call takes ${round(changed.meanBeforeMs!)} → ${round(changed.meanAfterMs!)} ms`}`,
      });
  }
  if (share('Lock') >= LEAST_SHARE) {
    const [holder] = it.holders;
    advice.push({
      words: holder
        ? holder.idleShare >= 0.5
          ? `End the transaction of ${holder.who}, or have it commit before it does something else: the statement itself is not slow.`
          : `Shorten the transaction of ${holder.who}, or have both lock rows in the same order.`
        : 'Find out who holds the locks: the statement itself is not slow.',
      evidence: `${formatShare(share('Lock'))} of its time ${CLASS_WORDS.Lock.verb}${holder ? `, ${formatShare(holder.share)} of that held by ${holder.who}` : ''}`,
    });
  }
  const scans = plan ? planSteps(plan).filter(({ type, conditions }) => type === 'Seq Scan' && conditions.length > 0) : [];
  const blocks = cost ? cost.blocksHit + cost.blocksRead : 0;
  if (share('IO') >= LEAST_SHARE && cost) {
    const missed = blocks === 0 ? 0 : cost.blocksRead / blocks;
    advice.push({
      words:
        scans.length > 0
          ? `It reads all of ${scans[0].relation} to find some rows: an index on what it filters by would read less.`
          : 'What it reads is not in memory. More memory for buffers helps, or running what pushes it out at another time.',
      evidence: `${round(cost.blocksRead)} blocks read from disk a call, ${formatShare(missed)} of those it looks at${
        costBefore ? `; before ${round(costBefore.blocksRead)}` : ''
      }`,
    });
  }
  if (share('CPU') >= LEAST_SHARE && cost && cost.rows > 0 && blocks / cost.rows >= MANY_BLOCKS_A_ROW)
    advice.push({
      words:
        scans.length > 0
          ? `It looks at every row of ${scans[0].relation} and throws most away: an index on what it filters by saves that.`
          : 'It looks at many blocks for each row that it gives: see which step of its plan throws rows away.',
      evidence: `${round(blocks)} blocks for ${round(cost.rows)} rows a call${scans[0] ? `; ${scans[0].conditions[0]}` : ''}`,
    });
  if (share('Client') >= LEAST_SHARE)
    advice.push({
      words: `${it.program || 'Its program'} reads the answer too slowly, or is far away: ask for fewer rows, or read them faster.`,
      evidence: `${formatShare(share('Client'))} of its time ${CLASS_WORDS.Client.verb}${cost ? `; ${round(cost.rows)} rows a call` : ''}`,
    });
  if (cost && cost.blocksTemporary >= 1)
    advice.push({
      words: 'Its sort or hash does not fit into work_mem and goes to disk: raise work_mem for it, or sort fewer rows.',
      evidence: `${round(cost.blocksTemporary)} temporary blocks a call`,
    });
  if (advice.length === 0 && cost && costBefore && cost.calls > 2 * costBefore.calls && cost.ms < 1.25 * costBefore.ms)
    advice.push({
      words: 'It is called more often and takes as long as before: look at who calls it, not at the statement.',
      evidence: `${round(costBefore.calls)} → ${round(cost.calls)} calls a second at ${round(cost.ms)} ms`,
    });
  return advice;
}

function round(value: number): string {
  if (value === 0) return '0';
  return value >= 100 ? String(Math.round(value)) : String(Number(value.toPrecision(3)));
}
