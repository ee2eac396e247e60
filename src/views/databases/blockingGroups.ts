import type { DatabaseMoment } from '../../api/databases/moment.ts';

type Session = DatabaseMoment['sessions'][number];

/** Sessions that wait for the same one with the same statement. */
export interface WaitingGroup {
  readonly key: string;
  readonly depth: number;
  readonly program: string;
  readonly statement: string;
  readonly detail: string;
  readonly statementId: string;
  /** The longest waiting first. */
  readonly sessions: readonly Session[];
  /** Milliseconds that they have waited so far, together. */
  readonly waitedMs: number;
}

export interface BlockingRoot {
  readonly root: Session;
  readonly behind: number;
  readonly groups: readonly WaitingGroup[];
}

/** The blocking trees of a moment with like sessions in one row. Those that wait for a session of a group stand under it, one deeper. */
export function blockingGroups({ sessions, trees }: DatabaseMoment): BlockingRoot[] {
  const byNumber = new Map(sessions.map((it) => [it.session, it]));
  const roots: (BlockingRoot & { groups: WaitingGroup[] })[] = [];
  let groups = new Map<string, WaitingGroup & { sessions: Session[]; waitedMs: number }>();
  for (const { session, depth, behind } of trees) {
    const it = byNumber.get(session);
    if (!it) continue;
    if (depth === 0) {
      groups = new Map();
      roots.push({ root: it, behind, groups: [] });
      continue;
    }
    const key = `${depth} ${it.program} ${it.statementId}`;
    let group = groups.get(key);
    if (!group) {
      group = {
        key,
        depth,
        program: it.program,
        statement: it.statement,
        detail: it.detail,
        statementId: it.statementId,
        sessions: [],
        waitedMs: 0,
      };
      groups.set(key, group);
      roots.at(-1)?.groups.push(group);
    }
    group.sessions.push(it);
    group.waitedMs += it.sinceMs ?? 0;
  }
  for (const { groups: all } of roots)
    for (const { sessions: own } of all) (own as Session[]).sort((a, b) => (b.sinceMs ?? 0) - (a.sinceMs ?? 0));
  return roots;
}
