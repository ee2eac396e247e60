import type { Around } from '../../api/now/around.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { clockTime, dayOf } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { runningPath } from '../../ui/code/codePath.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { CostPanel } from './CostPanel.tsx';
import styles from './Now.module.css';
import { VisitorsPanel } from './VisitorsPanel.tsx';
import { standOutWords } from './words.ts';

/** Changes shown without asking for more. */
const FIRST_CHANGES = 7;
/** A machine that is so full is marked. */
const FULL = 0.9;

/** What stands about the window: requests under way, changes near it, objectives. */
export function NowAside({ around, now, editJourneys }: { around: Around | undefined; now: number; editJourneys: () => void }) {
  if (!around) return <p className="dim">Looking …</p>;
  return (
    <div className={styles.aside}>
      <InFlight flight={around.inFlight} />
      <StandOuts found={around.standOut} />
      <Machines machines={around.machines} />
      <VisitorsPanel />
      <Changes changes={around.changes} now={now} />
      <Objectives around={around} now={now} edit={editJourneys} />
      <CostPanel />
    </div>
  );
}

function InFlight({ flight }: { flight: Around['inFlight'] }) {
  const { href } = useScope();
  const longest = flight.oldest[0]?.ageMs ?? 1;
  return (
    <section>
      <h2>
        <a href={href('/code')} suppressHydrationWarning>
          In flight
        </a>{' '}
        <span className="mono">{flight.at === null ? '' : flight.count}</span>
      </h2>
      {flight.at === null && <p className="dim">No long-running requests were reported at the end of this window.</p>}
      {flight.at !== null && flight.count === 0 && <p className="dim">Nothing is under way.</p>}
      {flight.oldest.slice(0, 5).map((it) => (
        <a
          key={`${it.traceId} ${it.service} ${it.operation}`}
          className={styles.flight}
          href={href(runningPath(it.traceId, it.service))}
          title={`${it.service} ${it.operation}`}
          suppressHydrationWarning
        >
          <span>{shownName(it.operation)}</span>
          <span className="mono">{formatDuration(it.ageMs * 1e6)}</span>
          <i style={{ width: `${Math.max(2, (100 * it.ageMs) / longest)}%` }} data-old={it.ageMs > 10_000} aria-hidden="true" />
        </a>
      ))}
    </section>
  );
}

/** Instances, versions and operations that are worse than the others of their service: they need no time before to be held against. */
function StandOuts({ found }: { found: Around['standOut'] }) {
  const { href } = useScope();
  if (found.length === 0) return null;
  return (
    <section>
      <h2>Unlike the others of its service</h2>
      <ul className={styles.standOuts}>
        {found.map((it) => (
          <li key={`${it.service} ${it.what} ${it.name}`}>
            <StateGlyph state={it.state} word="" />{' '}
            <a href={href(`/services/${encodeURIComponent(it.service)}`)} suppressHydrationWarning>
              {it.what === 'instance' ? shownName(it.name) : `${shownName(it.service)} ${shownName(it.name)}`}
            </a>{' '}
            <span className="dim">{standOutWords(it)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** How full the machines are at the end of the window: a full one makes all on it wait. */
function Machines({ machines: { machines, cpu, memory } }: { machines: Around['machines'] }) {
  const { href } = useScope();
  if (machines === 0) return null;
  return (
    <section>
      <h2>
        <a href={href('/machines/hosts')} suppressHydrationWarning>
          Machines
        </a>{' '}
        <span className="mono">{machines}</span>
      </h2>
      {(
        [
          ['CPU', cpu],
          ['memory', memory],
        ] as const
      ).map(
        ([what, of]) =>
          of && (
            <a
              key={what}
              className={styles.flight}
              href={href(`/machines/hosts/${encodeURIComponent(of.name)}`)}
              title={`${what} of all machines on average, and of the fullest`}
              suppressHydrationWarning
            >
              <span>
                {what} {formatShare(of.mean)}
              </span>
              <span>
                most {of.name} <span className="mono">{formatShare(of.most)}</span>
              </span>
              <i style={{ width: `${Math.max(2, 100 * Math.min(1, of.most))}%` }} data-old={of.most >= FULL} aria-hidden="true" />
            </a>
          ),
      )}
    </section>
  );
}

function Changes({ changes, now }: { changes: Around['changes']; now: number }) {
  const zone = useZone();
  const { scope, change } = useScope();
  const { from, to } = windowAt(scope.lit, now);
  return (
    <section>
      <h2>Changes near the lit window</h2>
      {changes.length === 0 && <p className="dim">No changes reported since an hour before this window.</p>}
      {changes.slice(0, FIRST_CHANGES).map((it) => (
        <button
          key={`${it.at} ${it.title}`}
          type="button"
          className={styles.changed}
          title="Light the half hour about it"
          onClick={() => change({ ...scope, lit: { type: 'fixed', from: it.at - 15 * 60_000, to: it.at + 15 * 60_000 } })}
        >
          <span className="mono dim">
            {dayOf(it.at, zone) === dayOf(now, zone) ? '' : `${dayOf(it.at, zone)} `}
            {clockTime(it.at, zone)}
          </span>
          <span data-inside={it.at >= from && it.at < to}>
            {it.title}
            {it.phase === 'begin' ? ' began' : it.phase === 'end' ? ' ended' : ''}
          </span>
        </button>
      ))}
      {changes.length > FIRST_CHANGES && <p className="dim">{changes.length - FIRST_CHANGES} more, flags on the ribbon</p>}
    </section>
  );
}

function Objectives({ around, now, edit }: { around: Around; now: number; edit: () => void }) {
  const zone = useZone();
  const since = around.objectivesFrom === null ? 0 : Date.parse(around.objectivesFrom);
  return (
    <section>
      <h2>
        Objectives{' '}
        {around.objectivesFrom && (
          <span className="dim">
            since {dayOf(since, zone) === dayOf(now, zone) ? '' : `${dayOf(since, zone)} `}
            {clockTime(since, zone)}
          </span>
        )}
      </h2>
      {around.objectives.map((it) => (
        <div key={it.journey} className={styles.objective} title={burnTitle(it)}>
          <p>
            <span>
              {it.journey}
              {it.withinMs === null ? '' : ` under ${formatDuration(it.withinMs * 1e6).replace(/\.00 /, ' ')}`}
            </span>
            <span className="mono">
              {it.share === null ? '–' : percent(it.share)} <span className="dim">/ {percent(it.target)} %</span>
            </span>
          </p>
          <div className={styles.allowance} data-spent={(it.left ?? 1) <= 0} data-low={(it.left ?? 1) < 0.25} aria-hidden="true">
            <i style={{ width: `${100 * Math.max(0, it.left ?? 0)}%` }} />
          </div>
          <p className="dim">
            {leftWords(it.left)}
            {burnWords(it)}
          </p>
        </div>
      ))}
      <button type="button" className={styles.edit} onClick={edit}>
        {around.objectives.length === 0 ? 'Name journeys and set objectives' : 'Journeys and objectives'}
      </button>
    </section>
  );
}

function percent(share: number): string {
  return (share * 100).toFixed(share >= 0.999 ? 2 : 1).replace(/\.0+$/, '');
}

function leftWords(left: number | null): string {
  if (left === null) return 'no request yet';
  return left <= 0 ? 'all spent' : `${(100 * left).toFixed(0)} % left`;
}

/** " · burn 5 min 3.1 ×, 1 h 0.8 ×": how many times as fast as the allowance lasts. */
function burnWords({ burn: { m5, h1 } }: Around['objectives'][number]): string {
  if (m5 === null && h1 === null) return '';
  const told = (value: number | null) => (value === null ? '–' : `${value.toFixed(1)} ×`);
  return ` · burn 5 min ${told(m5)}, 1 h ${told(h1)}`;
}

/** Allowances are spent this many times as fast as they last: over 14.4 in an hour, two per cent of a month's are gone. */
function burnTitle({ burn }: Around['objectives'][number]): string {
  const told = (value: number | null) => (value === null ? '–' : `${value.toFixed(1)} ×`);
  return `burn rate ${told(burn.m5)} over 5 min, ${told(burn.h1)} over 1 h; ${told(burn.m30)} over 30 min, ${told(burn.h6)} over 6 h`;
}
