import { isHeldOpen, type SampledSession } from './sampledSecond.ts';

/** A session in a tree of who waits for whom. */
export interface Blocked<Session extends Pick<SampledSession, 'session' | 'blockedBy'> = SampledSession> {
  readonly session: Session;
  /** Those that wait for it directly. */
  readonly waiting: readonly Blocked<Session>[];
  /** How many wait for it, directly or through others. */
  readonly behind: number;
}

/**
 * Who blocks whom at one moment, from the sessions that each waits for (`pg_blocking_pids`). Roots wait for nobody, and somebody waits for
 * them; the one with most behind it comes first. A session that waits for several stands under the one with most behind it. In a circle
 * (a deadlock before the server ends it) the session with the lowest number is the root. Sessions that are waited for and were not seen
 * are left out: whoever waits for them alone becomes a root.
 */
export function blockingTrees<Session extends Pick<SampledSession, 'session' | 'blockedBy'>>(
  sessions: readonly Session[],
): Blocked<Session>[] {
  const byNumber = new Map(sessions.map((it) => [it.session, it]));
  const waiters = new Map<string, string[]>();
  for (const { session, blockedBy } of sessions)
    for (const holder of new Set(blockedBy))
      if (holder !== session && byNumber.has(holder)) {
        const list = waiters.get(holder);
        if (list) list.push(session);
        else waiters.set(holder, [session]);
      }
  const waits = (number: string) => byNumber.get(number)!.blockedBy.some((holder) => holder !== number && byNumber.has(holder));
  const roots = [...waiters.keys()].filter((number) => !waits(number));
  const taken = new Set<string>();
  const reach = new Map<string, number>();
  const reachOf = (number: string): number => {
    const known = reach.get(number);
    if (known !== undefined) return known;
    const seen = new Set([number]);
    const open = [number];
    for (let next = open.pop(); next !== undefined; next = open.pop())
      for (const waiter of waiters.get(next) ?? [])
        if (!seen.has(waiter)) {
          seen.add(waiter);
          open.push(waiter);
        }
    reach.set(number, seen.size - 1);
    return seen.size - 1;
  };
  const inOrder = (numbers: readonly string[]) => [...numbers].sort((a, b) => reachOf(b) - reachOf(a) || compareNumbers(a, b));
  const grow = (number: string): Blocked<Session> => {
    const own = inOrder(waiters.get(number) ?? []).filter((it) => {
      if (taken.has(it)) return false;
      taken.add(it);
      return true;
    });
    const waiting = own.map(grow);
    return {
      session: byNumber.get(number)!,
      waiting,
      behind: waiting.reduce((sum, it) => sum + 1 + it.behind, 0),
    };
  };
  const trees: Blocked<Session>[] = [];
  for (const number of inOrder(roots)) {
    taken.add(number);
    trees.push(grow(number));
  }
  // What is left waits in circles.
  for (const number of [...waiters.keys()].sort(compareNumbers))
    if (!taken.has(number)) {
      taken.add(number);
      trees.push(grow(number));
    }
  return trees.sort((a, b) => b.behind - a.behind || compareNumbers(a.session.session, b.session.session));
}

function compareNumbers(a: string, b: string): number {
  return Number(a) - Number(b) || (a < b ? -1 : a > b ? 1 : 0);
}

/** Adds up the waiting that each root has caused over many moments. */
export class BlockingHarm {
  readonly #roots = new Map<string, RootHarm>();
  /** Time that was spent waiting for locks in all, milliseconds. */
  waitedMs = 0;

  add(timeMs: number, intervalMs: number, sessions: readonly SampledSession[]): void {
    if (!sessions.some(({ blockedBy }) => blockedBy.length > 0)) return;
    for (const { session: root, behind } of blockingTrees(sessions)) {
      let harm = this.#roots.get(root.session);
      // Numbers are used again: one who was away for a minute is another.
      if (!harm || timeMs - harm.lastMs > ANOTHER_MS) {
        if (harm) this.#roots.set(`${root.session} until ${harm.lastMs}`, harm);
        harm = { root, firstMs: timeMs, lastMs: timeMs, waitedMs: 0, most: 0, mostAtMs: timeMs, heldOpenMs: 0 };
        this.#roots.set(root.session, harm);
      }
      harm.root = root;
      harm.lastMs = timeMs;
      harm.waitedMs += behind * intervalMs;
      this.waitedMs += behind * intervalMs;
      if (isHeldOpen(root)) harm.heldOpenMs += intervalMs;
      if (behind >= harm.most) {
        harm.most = behind;
        harm.mostAtMs = timeMs;
      }
    }
  }

  /** Adds what a session has caused in a stretch that was added up before; it may go on with one that is known. */
  join({ waitedMs, ...it }: RootHarm): void {
    const { session } = it.root;
    const known = this.#roots.get(session);
    if (!known || it.firstMs - known.lastMs > ANOTHER_MS) {
      if (known) this.#roots.set(`${session} until ${known.lastMs}`, known);
      this.#roots.set(session, { ...it, waitedMs });
    } else {
      known.root = it.root;
      known.lastMs = Math.max(known.lastMs, it.lastMs);
      known.waitedMs += waitedMs;
      known.heldOpenMs += it.heldOpenMs;
      if (it.most >= known.most) {
        known.most = it.most;
        known.mostAtMs = it.mostAtMs;
      }
    }
  }

  /** The worst first. */
  roots(): RootHarm[] {
    return [...this.#roots.values()].sort((a, b) => b.waitedMs - a.waitedMs);
  }
}

const ANOTHER_MS = 60_000;

/** What is said of a session that others wait for. */
export type RootSession = Pick<SampledSession, 'session' | 'program' | 'user' | 'client' | 'statementId'>;

/** What others have waited for one session. */
export interface RootHarm {
  /** As it was seen last. */
  root: RootSession;
  /** When somebody was first and last seen waiting for it, epoch milliseconds. */
  readonly firstMs: number;
  lastMs: number;
  /** Sum of the waiting behind it. */
  waitedMs: number;
  /** How many waited at once, at most, and when last: by then they have waited longest. */
  most: number;
  mostAtMs: number;
  /** How much of that time it held its transaction open without running anything. */
  heldOpenMs: number;
}
