import type { DatabaseMoment } from '../../api/databases/moment.ts';
import { clockTime } from '../../core/time/clock.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { blockingGroups } from './blockingGroups.ts';
import styles from './Databases.module.css';
import { ageWords, whoIs } from './words.ts';

const AXIS = 170;

/** Who hangs behind whom at one moment: a root that waits for nobody, and a dot for each session at the seconds that it has waited. */
export function Blocking({ moment, server }: { readonly moment: DatabaseMoment; readonly server: string }) {
  const { href } = useScope();
  const zone = useZone();
  const roots = blockingGroups(moment);
  const waited = roots.flatMap(({ groups }) => groups).reduce((sum, { waitedMs }) => sum + waitedMs, 0);
  const longest = Math.max(
    1000,
    ...roots.flatMap(({ groups }) => groups.flatMap(({ sessions }) => sessions.map(({ sinceMs }) => sinceMs ?? 0))),
  );
  const x = (ms: number) => AXIS - 6 - ((AXIS - 12) * ms) / longest;
  return (
    <section aria-label={`Who hangs behind whom on ${server}`}>
      <h2 className={styles.sub}>
        Who hangs behind whom{' '}
        <span className="dim">
          at {clockTime(moment.at, zone, true)}, {moment.blocked} blocked, {ageWords(waited)} waited
        </span>
      </h2>
      {roots.map(({ root, groups, behind }) => (
        <div key={root.session} className={styles.tree}>
          <div className={styles.lamp}>
            <b>{whoIs(root)}</b> <span className="mono">{root.session}</span>
            <span>
              {root.user}
              {root.client && `, from ${root.client}`}
            </span>
            <b className={styles.right}>waits for nobody, {behind} behind it</b>
            <p>
              {root.state === 'active' ? 'running' : root.state}
              {root.sinceMs !== null && (
                <>
                  {' '}
                  for <b>{ageWords(root.sinceMs)}</b>
                </>
              )}
              {root.statement && (
                <>
                  ; {root.state === 'active' ? 'its statement is' : 'last ran'} <code>{root.statement}</code>
                </>
              )}
              {root.transactionMs !== null && `; transaction open for ${ageWords(root.transactionMs)}`}
              {root.traceId && (
                <>
                  {' '}
                  <a href={href(`/traces/${root.traceId}`)} suppressHydrationWarning>
                    its trace
                  </a>
                </>
              )}
            </p>
          </div>
          <div className={styles.axis} aria-hidden="true">
            <span>waited so far</span>
            <span className="mono">
              {ageWords(longest)} <i /> now
            </span>
          </div>
          <ol>
            {groups.map((group) => (
              <li key={group.key} style={{ paddingLeft: 10 + 18 * (group.depth - 1) }} data-depth={group.depth}>
                <b className={styles.count}>{group.sessions.length}</b>
                <span className={styles.who}>
                  <b>{group.program || 'no name'}</b> <code>{group.statement}</code>
                  <small>
                    {group.detail} <em>{ageWords(group.waitedMs)}</em>
                  </small>
                </span>
                <svg
                  width={AXIS}
                  height={26}
                  role="img"
                  aria-label={`${group.sessions.length} sessions, the longest has waited ${ageWords(group.sessions[0].sinceMs ?? 0)}`}
                >
                  <line x1={x(longest)} x2={x(0)} y1={13} y2={13} />
                  {group.sessions.map((it) => (
                    <a key={it.session} href={it.traceId ? href(`/traces/${it.traceId}`) : undefined}>
                      <circle cx={x(it.sinceMs ?? 0)} cy={13} r={3.5}>
                        <title>
                          session {it.session}, {ageWords(it.sinceMs ?? 0)}
                          {it.traceId && ', opens its trace'}
                        </title>
                      </circle>
                    </a>
                  ))}
                </svg>
              </li>
            ))}
          </ol>
        </div>
      ))}
    </section>
  );
}
