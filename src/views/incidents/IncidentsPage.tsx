import { Menu } from '@mantine/core';
import type { Incident } from '../../api/incidents/incidents.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { parseCondition, splitConditions } from '../../core/scope/conditionText.ts';
import { clockRange, clockTime, dayTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { logsPath } from '../../ui/logs/logsPath.ts';
import { useCases } from '../../ui/queries/casebook.ts';
import { useChangeIncident, useIncidents } from '../../ui/queries/incidents.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { NowTabs } from '../now/NowTabs.tsx';
import { CaseOfIncident } from './CaseOfIncident.tsx';
import { InboxPanel } from './InboxPanel.tsx';
import styles from './Incidents.module.css';
import { RulePanel } from './RulePanel.tsx';
import { incidentHeadline, isWithin } from './words.ts';

const GLYPHS = { open: 'failing', quiet: 'strained', closed: 'calm' } as const;
/** Half an hour to see to it, a shift, a day, a weekend. */
const MUTE_MINUTES = [30, 60, 4 * 60, 12 * 60, 24 * 60, 72 * 60];

/** Trouble that was found by itself or by a rule, and what was sent of it. */
export function IncidentsPage({ start, series }: { start: IslandStart; series: RequestSeries | undefined }) {
  const found = useIncidents();
  const list = found.data?.incidents;
  const cases = useCases();
  const { lit } = useScope().scope;
  const past = lit.type === 'fixed' ? lit : undefined;
  return (
    <Frame
      series={{ data: series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching && !list}
      trouble={list ? found.error : null}
      inspectorLabel="Rules and inbox"
      inspector={
        <div className={styles.panel}>
          <RulePanel />
          <InboxPanel />
        </div>
      }
    >
      <NowTabs here="/now/incidents" />
      <h1 className={styles.headline}>{found.error && !list ? 'No answer' : incidentHeadline(list, past)}</h1>
      {found.error && !list && (
        <Emptiness
          title="This could not be asked"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {list?.length === 0 && (
        <Emptiness
          title="No incident in seven days"
          words="Anomalies of operations and of visitors’ pages are detected every minute. Add rules for what you promised."
          actions={[]}
        />
      )}
      {list && list.length > 0 && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <ul className={styles.rows} tabIndex={0} aria-label="Incidents">
          {list.map((it) => (
            <Row
              key={it.id}
              incident={it}
              isLit={past !== undefined && isWithin(it, past)}
              now={start.now}
              cases={(cases.data?.cases ?? []).filter(({ incidents }) => incidents.includes(it.id)).map(({ id }) => id)}
            />
          ))}
        </ul>
      )}
    </Frame>
  );
}

/** How well the beginning is known, where that is not to a few minutes. */
function unsureWords({ from, fromRange }: Incident): string {
  if (!fromRange) return '';
  const minutes = Math.round(Math.max(from - fromRange[0], fromRange[1] - from) / 60_000);
  return minutes > 3 ? `(began within ${minutes} min of that) ` : '';
}

/** How many shifts of an incident are told before it is opened. */
const FIRST_SHIFTS = 3;

interface RowProps {
  readonly incident: Incident;
  /** Whether it reaches into the lit window, where that is in the past. */
  readonly isLit: boolean;
  readonly now: number;
  readonly cases: readonly number[];
}

function Row({ incident: it, isLit, now, cases }: RowProps) {
  const { scope, href } = useScope();
  const zone = useZone();
  const change = useChangeIncident();
  const muted = it.mutedUntil !== null && Date.parse(it.mutedUntil) > now;
  const mute = (minutes: number) =>
    change.mutate({ id: it.id, mutedUntil: new Date(Date.now() + minutes * 60_000).toISOString() });
  const chips = splitConditions(it.where)
    .map(parseCondition)
    .flatMap((one) => (typeof one === 'string' ? [] : [{ ...one, on: true }]));
  const lit = { ...scope, chips, lit: { type: 'fixed' as const, from: it.from - 5 * 60_000, to: it.to } };
  return (
    <li className={styles.row} data-quiet={it.state === 'closed' || muted} data-lit={isLit}>
      <StateGlyph state={GLYPHS[it.state]} word={it.state} />
      <div className={styles.what}>
        <h2>{shownName(it.title)}</h2>
        <p className="dim">
          {it.state === 'open' ? 'going on' : it.state === 'quiet' ? 'not seen for a while' : 'over'} ·{' '}
          <span title={it.fromRange ? `began between ${clockRange(it.fromRange[0], it.fromRange[1], zone, now)}` : undefined}>
            {clockRange(it.from, it.to, zone, now)}
          </span>{' '}
          {unsureWords(it)}· {formatDuration((it.to - it.from) * 1e6)} · found {clockTime(it.found, zone)}
          {it.journeys.length > 0 ? ` · ${it.journeys.join(', ')}` : ''}
        </p>
        <details>
          <summary>
            {it.source === 'rule' ? 'by a rule' : `${it.shifts.length} ${it.shifts.length === 1 ? 'measure' : 'measures'} moved`}
            {it.shifts
              .slice(0, FIRST_SHIFTS)
              .map((shift) => ` · ${shift.owner}`)
              .filter((name, at, all) => all.indexOf(name) === at)}
          </summary>
          <ul>
            {it.shifts.map((shift) => (
              <li key={`${shift.owner} ${shift.name} ${shift.words} ${shift.from}`}>
                <span className="mono dim">{clockTime(shift.from, zone)}</span>{' '}
                <a href={href(shift.path, lit)} suppressHydrationWarning>
                  {shift.owner}
                </a>{' '}
                {shift.kind === 'operation' ? '' : `${shift.kind} `}
                {shift.name} <span className="mono">{shift.words}</span>
              </li>
            ))}
          </ul>
        </details>
        {change.error && <p role="alert">{change.error.message}</p>}
      </div>
      <div className={styles.actions}>
        <a href={href(it.path, lit)} suppressHydrationWarning>
          Light it
        </a>
        <a href={logsPath((path) => href(path, lit))} suppressHydrationWarning>
          Lines
        </a>
        <a href={contrastPath((path) => href(path, lit), { how: 'before' })} suppressHydrationWarning>
          contrast
        </a>
        <CaseOfIncident incident={it.id} cases={cases} />
        <ChangedBy least="responder">
          <button type="button" onClick={() => change.mutate({ id: it.id, acknowledged: it.acknowledged === null })}>
            {it.acknowledged === null ? 'acknowledge' : `acknowledged ${clockTime(Date.parse(it.acknowledged), zone)}`}
          </button>
          <Menu position="bottom-end">
            <Menu.Target>
              <button type="button">{muted ? `muted until ${dayTime(Date.parse(it.mutedUntil!), zone, now)}` : 'mute …'}</button>
            </Menu.Target>
            <Menu.Dropdown>
              {MUTE_MINUTES.map((minutes) => (
                <Menu.Item key={minutes} onClick={() => mute(minutes)}>
                  {muted ? 'from now ' : ''}for {formatDuration(minutes * 60e9)}
                </Menu.Item>
              ))}
              {muted && <Menu.Item onClick={() => change.mutate({ id: it.id, mutedUntil: null })}>no longer</Menu.Item>}
            </Menu.Dropdown>
          </Menu>
        </ChangedBy>
      </div>
    </li>
  );
}
