import { useState } from 'react';
import type { DatabaseServer } from '../../api/databases/server.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { formatSessions, queryOrDatabase } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatValue } from '../../core/measures/unitText.ts';
import { clockRange, clockTime } from '../../core/time/clock.ts';
import { statementPath } from '../../ui/databases/databasePath.ts';
import { useDatabase } from '../../ui/queries/databases.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Databases.module.css';
import { ageWords, handOver, loadWords, rootWords, whoIs } from './words.ts';

const MOST_STATEMENTS = 4;

/** What stands beside a server: how its trouble starts, what most of its load is, what its machine measures, changes near. */
export function ServerAside({ name }: { readonly name: string }) {
  const { scope, href } = useScope();
  const found = useDatabase(name, scope);
  const it = found.data;
  if (found.error && !it)
    return (
      <div className={styles.aside}>
        <h2>{name}</h2>
        <p>{found.error.message}</p>
      </div>
    );
  if (!it) return <div className={styles.aside} aria-busy="true" />;
  const statements = it.cuts.find(({ dimension }) => dimension === 'statement');
  return (
    <div className={styles.aside}>
      <ServerHead name={name} server={it} />
      {statements && it.lit && it.lit.value > 0 && (
        <section>
          <h3>
            Most of its load <span className="dim">of {formatSessions(it.lit.value)}</span>
          </h3>
          <ol className={styles.most}>
            {statements.rows.slice(0, MOST_STATEMENTS).map((row) => (
              <li key={row.value}>
                <a href={href(statementPath(name, row.value))} suppressHydrationWarning>
                  {row.name}
                </a>{' '}
                <span className="dim">{row.detail}</span>
                <b className="mono">{formatSessions(totalOf(row.lit))}</b>
                <i style={{ width: `${(100 * totalOf(row.lit)) / Math.max(it.lit!.value, 1e-9)}%` }} />
              </li>
            ))}
          </ol>
        </section>
      )}
      <MeasureList {...it} />
      <Changes changes={it.changes} />
    </div>
  );
}

interface OfServer {
  readonly name: string;
  readonly server: DatabaseServer;
}

/** What stands first beside a server: how large it is, whether it is the query or the database, and the session that it starts with. */
export function ServerHead({ name, server }: OfServer) {
  const [root] = server.blocking.roots;
  const size = [
    ...(server.cores > 0 ? [`${server.cores} cores`] : []),
    ...(server.most > 0 ? [`${server.most} sessions at most`] : []),
  ];
  return (
    <>
      <header>
        <h2>{name}</h2>
        <span className="dim">{size.join(', ')}</span>
      </header>
      <Verdict name={name} server={server} />
      {root && <RootPanel name={name} root={root} all={server.blocking} />}
    </>
  );
}

/** "Is it the query or the database?", in words. */
function Verdict({ name, server }: OfServer) {
  const words = queryOrDatabase(loadWords(name, server), server.growth, rootWords(server.blocking));
  if (!words) return null;
  return (
    <section className={styles.verdict}>
      <h3>The query or the database?</h3>
      <p>{words}</p>
    </section>
  );
}

type Blocking = DatabaseServer['blocking'];

/** The session that most waiting hangs behind: what it does, what it costs, and the text for its team. */
function RootPanel({
  name,
  root,
  all,
}: {
  readonly name: string;
  readonly root: Blocking['roots'][number];
  readonly all: Blocking;
}) {
  const { href } = useScope();
  const zone = useZone();
  const [copied, setCopied] = useState(false);
  const share = all.waitedMs === 0 ? 0 : root.waitedMs / all.waitedMs;
  const copy = async () => {
    await navigator.clipboard?.writeText(handOver(name, root, zone, location.href));
    setCopied(true);
  };
  return (
    <section className={styles.root}>
      <h3>It starts with one session</h3>
      <p>
        <b>{whoIs(root)}</b>, session {root.session}
        {root.client && ` from ${root.client}`}, {share >= 0.995 ? 'caused all' : `caused ${formatShare(share)}`} of the waiting
        for locks, from {clockTime(root.firstMs, zone, true)} to {clockTime(root.lastMs, zone, true)}.{' '}
        {root.idleShare >= 0.5
          ? `For ${formatShare(Math.min(1, root.idleShare))} of that time it ran nothing and kept its transaction open.`
          : 'It was at work meanwhile.'}
      </p>
      {root.text && <pre>{root.text}</pre>}
      <dl>
        <dt>waited behind it</dt>
        <dd>{ageWords(root.waitedMs)}</dd>
        <dt>sessions at once, at most</dt>
        <dd>
          {root.most} at {clockTime(root.mostAtMs, zone, true)}
        </dd>
      </dl>
      <div className={styles.actions}>
        <button type="button" className={styles.main} onClick={() => void copy()}>
          {copied ? 'Copied' : 'Copy for its team'}
        </button>
        <a href={href(statementPath(name, root.statementId))} suppressHydrationWarning>
          Its statement
        </a>
      </div>
    </section>
  );
}

/** What the server itself measures, moved apart from flat: what did not move is ruled out. */
export function MeasureList({ measures, worst, litWindow }: Pick<DatabaseServer, 'measures' | 'worst' | 'litWindow'>) {
  const zone = useZone();
  const moved = measures.filter(({ turn }) => turn === 'up' || turn === 'down');
  const flat = measures.filter(({ turn }) => turn === 'flat');
  const row = (it: DatabaseServer['measures'][number]) => {
    const words = (value: number | null) => (value === null ? '–' : formatValue(value, it.unit.startsWith('{') ? '' : it.unit));
    return (
      <li key={`${it.name} ${it.detail}`}>
        <span title={it.name}>{measureName(it)}</span>
        <Spark points={it.lines.flatMap(({ lit }) => lit)} />
        <b className="mono">
          <em className={styles.was}>{words(it.before)} → </em>
          {words(it.lit)}
        </b>
      </li>
    );
  };
  if (measures.length === 0) return null;
  return (
    <section>
      <h3>
        The server meanwhile{' '}
        <span className="dim">
          {worst ? `${clockRange(worst.from, worst.to, zone, Date.parse(litWindow.to))} against before` : 'same windows'}
        </span>
      </h3>
      {moved.length + flat.length === 0 && <p className="dim">Too few values to compare.</p>}
      {moved.length > 0 && (
        <>
          <p className={styles.moved}>moved</p>
          <ul className={styles.measures}>{moved.map(row)}</ul>
        </>
      )}
      {flat.length > 0 && (
        <>
          <p className="dim">flat, so ruled out</p>
          <ul className={styles.measures}>{flat.map(row)}</ul>
        </>
      )}
    </section>
  );
}

const NAMES: Readonly<Record<string, string>> = {
  'system.cpu.utilization': 'CPU',
  'system.disk.utilization': 'disk busy',
  'system.disk.queue': 'disk queue',
  'system.memory.utilization': 'memory',
  'system.network.io': 'network',
  'db.server.sessions': 'sessions open',
  'db.server.commits': 'commits',
  'db.server.blocks.hit': 'found in memory',
  'db.server.blocks.read': 'read from disk',
  'db.server.transaction.oldest': 'oldest transaction',
  'db.server.checkpoints': 'checkpoints',
};

function measureName({ name, detail }: { readonly name: string; readonly detail: string }): string {
  const known = NAMES[name] ?? name.replace(/^(db\.server|postgresql|system)\./, '');
  return detail === '' || detail === 'user' ? known : `${known} ${detail}`;
}

function Spark({ points }: { readonly points: readonly (readonly [number, number])[] }) {
  const most = Math.max(...points.map(([, value]) => value), 1e-12);
  const [first, last] = [points[0]?.[0] ?? 0, points.at(-1)?.[0] ?? 1];
  const path = points
    .map(([at, value], index) => {
      const x = (60 * (at - first)) / Math.max(1, last - first);
      return `${index === 0 ? 'M' : 'L'}${x.toFixed(1)} ${(15 - (13 * value) / most).toFixed(1)}`;
    })
    .join('');
  return (
    <svg className={styles.spark} width="60" height="16" aria-hidden="true">
      <path d={path} />
    </svg>
  );
}

export function Changes({ changes }: Pick<DatabaseServer, 'changes'>) {
  const zone = useZone();
  if (changes.length === 0) return null;
  return (
    <section>
      <h3>Changes near</h3>
      <ul className={styles.changes}>
        {changes.map(({ at, title, phase }) => (
          <li key={`${at} ${title}`}>
            <time className="mono">{clockTime(at, zone)}</time> {title}
            {phase === 'begin' ? ' began' : phase === 'end' ? ' ended' : ''}
          </li>
        ))}
      </ul>
    </section>
  );
}
