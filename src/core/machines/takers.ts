import type { RuleId } from './rules.ts';

/** What a process takes of its machine: cores, bytes read and written in a second, bytes of memory. */
export interface Takes {
  readonly cores: number;
  readonly reads: number;
  readonly writes: number;
  readonly memory: number;
}

export const TAKEN = ['cores', 'disk', 'memory'] as const;
export type Taken = (typeof TAKEN)[number];

/** What is short when a rule is ill; no process takes what is not here. */
const TAKEN_BY_RULE: Partial<Readonly<Record<RuleId, Taken>>> = {
  cpu: 'cores',
  'pressure cpu': 'cores',
  'vm cpu': 'cores',
  'disk wait': 'disk',
  'disk busy': 'disk',
  'pressure io': 'disk',
  'vm disk wait': 'disk',
  'vm pressure io': 'disk',
  memory: 'memory',
  'pressure memory': 'memory',
  'vm memory': 'memory',
  'vm pressure memory': 'memory',
};

/** More than before that is worth naming: cores, bytes a second, bytes. */
const LEAST: Readonly<Record<Taken, number>> = { cores: 0.2, disk: 2 * 2 ** 20, memory: 256 * 2 ** 20 };
const NOTHING: Takes = { cores: 0, reads: 0, writes: 0, memory: 0 };

export function amountOf(taken: Taken, it: Takes): number {
  return taken === 'cores' ? it.cores : taken === 'memory' ? it.memory : it.reads + it.writes;
}

/** Those that take most of anything: one of each in turn, so that who only reads, or only holds memory, is among them. Most cores first. */
export function busiest<T extends Takes>(processes: readonly T[], most: number): T[] {
  const found = new Set<T>();
  const ranked = TAKEN.map((taken) => [...processes].sort((a, b) => amountOf(taken, b) - amountOf(taken, a)));
  for (let at = 0; at < processes.length && found.size < most; at++)
    for (const order of ranked) if (found.size < most) found.add(order[at]);
  return [...found].sort((a, b) => b.cores - a.cores || b.memory - a.memory);
}

/** A process that takes most more of what is short than before. */
export interface Taker<T> {
  readonly process: T;
  readonly taken: Taken;
  readonly amount: number;
  readonly before: number;
}

/**
 * Who takes what is short on a machine; undefined when no process does, or none takes notably more than before.
 *
 * @param processes each with what it took in the reference, undefined when it was not there
 */
export function takerOf<T extends Takes>(
  processes: readonly { readonly lit: T; readonly before: Takes | undefined }[],
  rule: RuleId | undefined,
): Taker<T> | undefined {
  const taken = rule && TAKEN_BY_RULE[rule];
  if (!taken) return undefined;
  let most: Taker<T> | undefined;
  for (const { lit, before = NOTHING } of processes) {
    const it = { process: lit, taken, amount: amountOf(taken, lit), before: amountOf(taken, before) };
    const more = it.amount - it.before;
    if (more >= LEAST[taken] && (!most || more > most.amount - most.before)) most = it;
  }
  return most;
}
