import { formatShare } from '../incidents/words.ts';
import { totalOf } from './load/load.ts';
import type { LoadMove } from './load/loadMove.ts';
import { AT_WORK, CLASS_WORDS, WAIT_CLASSES, type WaitClass } from './waitClasses.ts';

/** Average active sessions, as precise as they are many: "22.6", "0.42", "0.03". */
export function formatSessions(value: number): string {
  if (value === 0) return '0';
  if (value >= 100) return value.toFixed(0);
  if (value >= 0.995) return value.toFixed(1);
  return value >= 0.005 ? value.toFixed(2) : '<0.01';
}

/** What is known of a server's load, for a sentence. */
export interface LoadWords {
  readonly name: string;
  readonly move: LoadMove;
  /** Sessions by class; null where nothing was sampled. */
  readonly lit: readonly number[] | null;
  readonly before: readonly number[] | null;
  readonly cores: number;
}

/** The session that most waiting hangs behind. */
export interface RootWords {
  readonly program: string;
  readonly session: string;
  /** Share of the time in which it was waited for that it held its transaction open without running anything. */
  readonly idleShare: number;
  /** Its part of all waiting for other sessions. */
  readonly share: number;
}

/** A session that caused less of the waiting is not named as the one who holds the lock. */
const NAMED = 0.5;
const MOSTLY = 0.9;

/** The class with most of the load; undefined without load. */
export function topClass(byClass: readonly number[]): { readonly waitClass: WaitClass; readonly share: number } | undefined {
  const all = totalOf(byClass);
  if (all <= 0) return undefined;
  const at = byClass.indexOf(Math.max(...byClass));
  return { waitClass: WAIT_CLASSES[at], share: byClass[at] / all };
}

/** Sessions that are at work on cores and disks. */
export function atWork(byClass: readonly number[]): number {
  return byClass.reduce((sum, value, at) => (AT_WORK.has(WAIT_CLASSES[at]) ? sum + value : sum), 0);
}

/** "2.2 → 22.6 sessions" */
export function changeWords(before: readonly number[] | null, lit: readonly number[] | null): string {
  if (!lit) return 'not sampled in this window';
  if (!before) return `${formatSessions(totalOf(lit))} sessions, no reference`;
  return `${formatSessions(totalOf(before))} → ${formatSessions(totalOf(lit))} sessions`;
}

/** The statement that grew most, and its share of all growth. */
export interface GrowthWords {
  readonly statement: string;
  readonly share: number;
}

/** What the page of a server says of it in one sentence. */
export function serverSentence(it: LoadWords, root?: RootWords, growth?: GrowthWords | null): string {
  const { name, lit, before, move } = it;
  if (!lit) return `${name} was not sampled in this window`;
  const load = totalOf(lit);
  const top = topClass(lit);
  if (!top || load < 0.05) return `${name} is nearly idle: ${formatSessions(load)} sessions at work or waiting`;
  if (move === 'unknown') return `${name}: ${changeWords(before, lit)}; too few samples to compare`;
  if (move === 'flat') return `${name}: ${changeWords(before, lit)}, as before`;
  if (move === 'down') return `${name}: ${changeWords(before, lit)}, less than before`;
  const share = `${formatShare(top.share)} of the load ${CLASS_WORDS[top.waitClass].verb}`;
  if (top.waitClass === 'Lock' && root && root.share >= NAMED) {
    const who = root.program === '' ? `session ${root.session}` : root.program;
    const held = `${share}, ${root.share >= MOSTLY ? 'held' : 'mostly held'} by ${who}`;
    return root.idleShare >= 0.5 ? `${held}, which does nothing` : held;
  }
  if (top.waitClass === 'CPU' && it.cores > 0) {
    const busy = lit[0] / it.cores;
    if (busy >= 0.8) return `${share}: ${formatSessions(lit[0])} sessions for ${it.cores} cores`;
  }
  if (growth && growth.share >= 0.5)
    return `${name}: ${changeWords(before, lit)}, ${formatShare(growth.share)} of the growth is ${growth.statement}`;
  return `${name}: ${changeWords(before, lit)}, ${share}`;
}

/**
 * "Is it the query or the database?": whether the load grew by one statement, by many, or by waiting for others. Undefined when it did not grow.
 *
 * @param growth the statement that grew most @param root the session behind which most waiting hangs
 */
export function queryOrDatabase(it: LoadWords, growth: GrowthWords | null, root?: RootWords): string | undefined {
  const { lit, before, move, cores } = it;
  if (!lit || !before || move !== 'up') return undefined;
  const top = topClass(lit.map((value, at) => Math.max(0, value - before[at])));
  if (!top) return undefined;
  const isFull = cores > 0 && lit[0] >= 0.8 * cores;
  if (top.waitClass === 'Lock' && !isFull) {
    const idle = root && root.share >= NAMED && root.idleShare >= 0.5;
    const busy =
      cores > 0 ? `${formatSessions(lit[0])} of ${cores} cores compute` : `${formatSessions(atWork(lit))} sessions are at work`;
    return `Not the query and not the server: ${busy}, the others wait for ${idle ? 'a transaction that is open and does nothing' : 'rows that other sessions have locked'}.`;
  }
  if (growth && growth.share >= 0.6)
    return `The query: ${formatShare(growth.share)} of the growth is ${growth.statement}${isFull ? ', and the cores are full, so that all others slow down' : ''}.`;
  return `The server: the growth is spread over many statements, ${formatShare(top.share)} of it ${CLASS_WORDS[top.waitClass].verb}.`;
}
