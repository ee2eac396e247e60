import { type Blocked, blockingTrees } from './blockingTree.ts';
import { isHeldOpen, type SampledSession } from './sampledSecond.ts';

/** Of a statement that waited for locks: a root of the trees in which it hung. */
export interface Holder {
  /** The fingerprint of the statement that waited. */
  readonly waiting: string;
  readonly session: string;
  readonly program: string;
  readonly user: string;
  /** Sessions with that statement that hung below it, summed over the sampled moments. */
  readonly waits: number;
  /** Of these, while it held its transaction open without running anything. */
  readonly idle: number;
}

/** Adds up, over many moments, who held the locks that statements waited for. */
export class HolderSums {
  readonly #sums = new Map<string, { -readonly [Key in keyof Holder]: Holder[Key] }>();
  readonly #only: string | undefined;

  /** @param only the statement that is asked for; all by default */
  constructor(only?: string) {
    this.#only = only;
  }

  add(sessions: readonly SampledSession[]): void {
    const only = this.#only;
    if (only !== undefined && !sessions.some((it) => it.statementId === only && it.blockedBy.length > 0)) return;
    for (const tree of blockingTrees(sessions)) {
      const { session, program, user } = tree.session;
      const isIdle = isHeldOpen(tree.session);
      for (const [waiting, waits] of waitingBelow(tree))
        if (only === undefined || waiting === only)
          this.join({ waiting, session, program, user, waits, idle: isIdle ? waits : 0 });
    }
  }

  join(it: Holder): void {
    if (this.#only !== undefined && it.waiting !== this.#only) return;
    const key = `${it.waiting}\0${it.session}`;
    const known = this.#sums.get(key);
    if (!known) {
      this.#sums.set(key, { ...it });
      return;
    }
    known.waits += it.waits;
    known.idle += it.idle;
  }

  /** Those that were waited for most come first. */
  all(): Holder[] {
    return [...this.#sums.values()].sort((a, b) => b.waits - a.waits);
  }
}

function waitingBelow(tree: Blocked, counts = new Map<string, number>()): Map<string, number> {
  for (const it of tree.waiting) {
    counts.set(it.session.statementId, (counts.get(it.session.statementId) ?? 0) + 1);
    waitingBelow(it, counts);
  }
  return counts;
}
