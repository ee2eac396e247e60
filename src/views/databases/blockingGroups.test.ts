import { describe, expect, it } from 'vitest';
import type { DatabaseMoment } from '../../api/databases/moment.ts';
import { blockingGroups } from './blockingGroups.ts';

const session = (number: number, statementId: string, sinceMs: number | null, program = 'manifests') => ({
  session: number,
  program,
  statement: `text of ${statementId}`,
  statementId,
  detail: '',
  sinceMs,
});
const moment = (sessions: readonly object[], trees: readonly (readonly [number, number, number])[]) =>
  ({
    sessions,
    trees: trees.map(([number, depth, behind]) => ({ session: number, depth, behind })),
  }) as unknown as DatabaseMoment;

describe('who waits for whom, like sessions in one row', () => {
  const groups = blockingGroups(
    moment(
      [
        session(1, 'season', null, 'season-rollover'),
        session(2, 'update', 4_000),
        session(3, 'update', 9_000),
        session(4, 'update', 2_000, 'reports'),
        session(5, 'update', 1_000),
        session(6, 'delete', null),
        session(7, 'update', 500),
      ],
      [
        [1, 0, 5],
        [2, 1, 0],
        [3, 1, 1],
        [5, 2, 0],
        [4, 1, 0],
        [6, 0, 1],
        [7, 1, 0],
      ],
    ),
  );

  it('each root has its own', () => {
    expect(groups.map(({ root, behind }) => [root.session, behind])).toEqual([
      [1, 5],
      [6, 1],
    ]);
    expect(groups[1].groups.map(({ sessions }) => sessions.map((it) => it.session))).toEqual([[7]]);
  });

  it('a row is of one statement of one program at one depth, the longest waiting first', () => {
    expect(groups[0].groups.map(({ depth, program, sessions }) => [depth, program, sessions.map((it) => it.session)])).toEqual([
      [1, 'manifests', [3, 2]],
      [2, 'manifests', [5]],
      [1, 'reports', [4]],
    ]);
  });

  it('a row has waited as long as its sessions together', () => {
    expect(groups[0].groups.map(({ waitedMs }) => waitedMs)).toEqual([13_000, 1_000, 2_000]);
  });

  it('leaves out a session that is not in the list', () => {
    expect(
      blockingGroups(
        moment(
          [session(1, 'a', 0)],
          [
            [1, 0, 1],
            [99, 1, 0],
          ],
        ),
      )[0].groups,
    ).toEqual([]);
    expect(blockingGroups(moment([], []))).toEqual([]);
  });
});
