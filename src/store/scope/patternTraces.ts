import { desc, type SQL } from 'drizzle-orm';
import type { Condition } from '../../core/scope/condition.ts';
import { parsePattern } from '../../core/scope/conditionText.ts';
import { MOST_PATTERN_TRACES, patternFits, type SpanPattern } from '../../core/scope/spanPattern.ts';
import { outlineSpan } from '../../formats/otlp/span/spanOutline.ts';
import { readTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';

/** Traces that are read together. */
const AT_ONCE = 400;
/** Patterns and traces of each whose answer is remembered: a trace is read again only when it has grown. */
const MOST_PATTERNS = 12;

/** By the pattern: what was found of each trace, with how many spans it had then. */
const remembered = new Map<string, Answers>();
/** Readings that have not ended, by the pattern. */
const underWay = new Map<string, Promise<void>>();

type Answers = Map<string, { readonly spans: number; readonly fits: boolean }>;

interface Candidate {
  readonly day: number;
  readonly traceId: string;
  readonly blocks: number[];
  readonly spans: number;
}

/**
 * What some span must be, some span of the trace must be: conditions on traces that leave out most of those in which a pattern does not
 * hold, without reading them.
 */
export function neededFor(it: Condition): Condition[] {
  const pattern = parsePattern(it.values[0]);
  return typeof pattern === 'string' ? [] : pattern.flatMap((step) => step.conditions.filter(isSaidOfTraces));
}

/** Ids of the traces in which spans stand to each other as a condition says, hex. @param candidates on `trace`: those that are looked at */
export async function tracesWithPattern(it: Condition, candidates: SQL): Promise<string[]> {
  const pattern = parsePattern(it.values[0]);
  if (typeof pattern === 'string') return [];
  const rows = await database()
    .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks, spans: trace.spanCount })
    .from(trace)
    .where(candidates)
    .orderBy(desc(trace.startNs))
    .limit(MOST_PATTERN_TRACES);
  const key = `${it.field} ${it.values[0]}`;
  const known = answersOf(key);
  for (let at = 0; at < rows.length; at += AT_ONCE) {
    const part = rows.slice(at, at + AT_ONCE);
    // The list, its figures and the ribbon ask at once, each from the latest on: one reads, the others find what it has read.
    if (part.some((row) => known.get(row.traceId)?.spans !== row.spans))
      await inTurn(key, () => readUnknown(it, pattern, part, known));
  }
  return rows.flatMap((row) => (known.get(row.traceId)?.fits ? [row.traceId] : []));
}

/** Runs `work` when all that was given before it under the same key has ended. */
async function inTurn(key: string, work: () => Promise<void>): Promise<void> {
  const turn = (underWay.get(key) ?? Promise.resolve()).then(work);
  const settled = turn.catch(() => {});
  underWay.set(key, settled);
  await turn.finally(() => {
    if (underWay.get(key) === settled) underWay.delete(key);
  });
}

async function readUnknown(it: Condition, pattern: SpanPattern, part: readonly Candidate[], known: Answers): Promise<void> {
  const unread = part.filter((row) => known.get(row.traceId)?.spans !== row.spans);
  const spans = await readTraces(unread, outlineSpan);
  for (const [index, row] of unread.entries())
    known.set(row.traceId, { spans: row.spans, fits: patternFits(pattern, spans[index], it.field === 'root') });
}

/** Conditions that hold for a trace whenever they hold for one of its spans. */
function isSaidOfTraces({ field, operator }: Condition): boolean {
  const isPositive = operator !== 'is not' && operator !== 'lacks' && operator !== 'is missing';
  return isPositive && field !== 'duration' && field !== 'failed' && field !== 'kind';
}

function answersOf(pattern: string): Answers {
  let answers = remembered.get(pattern) ?? new Map();
  remembered.delete(pattern);
  if (answers.size > 4 * MOST_PATTERN_TRACES) answers = new Map();
  remembered.set(pattern, answers);
  const [oldest] = remembered.keys();
  if (remembered.size > MOST_PATTERNS && oldest !== undefined) remembered.delete(oldest);
  return answers;
}
