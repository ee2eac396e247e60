import type { VisitorSteps } from '../../../api/visitors/steps.ts';
import { formatShare } from '../../../core/incidents/words.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { conditionsText } from '../../../core/visits/visitFilter.ts';
import { REASON_WORDS } from '../../../core/visits/words.ts';
import { Bars } from '../../../ui/charts/Bars.tsx';
import { DragToLight } from '../../../ui/charts/DragToLight.tsx';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import { visitorPath, visitPath } from '../../../ui/visitors/visitorPaths.ts';
import { percent } from '../shares.ts';
import styles from '../Visitors.module.css';
import steps from './Steps.module.css';

interface StepsAsideProps {
  readonly answer: VisitorSteps;
  readonly who: string;
  readonly choose: (group: string) => void;
}

/** What the shares beside the splits are; none stands beside a split that chance alone would make. */
function shareWords(splits: VisitorSteps['splits']): string {
  if (splits.some(({ apart }) => apart))
    return 'the share: what of those who leave more than before one group accounts for; without one it may be chance';
  return splits.length > 0
    ? 'no group leaves so much more often than the others that it could not be chance'
    : 'nothing to split by';
}

const ROWS = 4;
const COLUMNS = 4;

/** By what those differ who leave at the chosen step; what went wrong there; the visits. */
export function StepsAside({ answer, who, choose }: StepsAsideProps) {
  const { href } = useScope();
  const zone = useZone();
  const { at, group, splits, fault, sessions, app } = answer;
  const best = splits.find(({ facets }) => group && facets.join() === group.facets.join()) ?? splits[0];
  const choice = { app, who };
  return (
    <div className={styles.aside}>
      <section>
        <h2>
          From “{answer.steps[at]?.name}” to “{answer.steps[at + 1]?.name}”
        </h2>
        <p className="dim">how many of those who reached it went on, lit; split by</p>
        <p className={steps.splits}>
          {splits.map((it) => (
            <button
              key={it.facets.join()}
              type="button"
              className={styles.choice}
              aria-pressed={it === best}
              disabled={it.group.length === 0}
              onClick={() =>
                choose(conditionsText(it.facets.map((field, place) => ({ field, values: [it.group[place]], not: false }))))
              }
            >
              {it.facets.join(' and ')} {it.apart && <span className="mono">{formatShare(it.explains)}</span>}
            </button>
          ))}
        </p>
        <p className="dim">{shareWords(splits)}</p>
        {best && <Grid split={best} chosen={group?.values} />}
      </section>
      {fault && (
        <section>
          <h2>The {fault.kind}</h2>
          <p>
            <StateGlyph state="failing" word="" /> <b>{fault.name}</b>, {fault.times} times
          </p>
          {fault.stack && <pre className={steps.stack}>{fault.stack.split('\n').slice(0, 5).join('\n')}</pre>}
          <p>
            First at{' '}
            <a href={href(visitPath(fault.session, choice))} suppressHydrationWarning>
              {clockTime(fault.firstMs, zone)}
            </a>{' '}
            in this window.
          </p>
          <DragToLight hug>
            <svg width={256} height={44} role="img" aria-label={`${fault.name} over the window: ${fault.overTime.join(', ')}`}>
              <Bars
                values={fault.overTime}
                most={Math.max(1, ...fault.overTime)}
                width={256}
                height={44}
                colour="var(--failing)"
              />
            </svg>
          </DragToLight>
        </section>
      )}
      <section>
        <h2>Who left here</h2>
        {sessions.length === 0 ? (
          <p className="dim">nobody</p>
        ) : (
          <ul className={styles.pairs}>
            {sessions.slice(-6).map(({ session, at: began, reason }) => (
              <li key={`${session} ${began}`}>
                <a href={href(visitPath(session, choice))} suppressHydrationWarning>
                  {clockTime(began, zone, true)}
                </a>
                <span className="dim">{REASON_WORDS[reason]}</span>
              </li>
            ))}
          </ul>
        )}
        <p className={styles.actions}>
          {sessions.length > 0 && (
            <a data-main="true" href={href(visitPath(sessions.at(-1)!.session, choice))} suppressHydrationWarning>
              Open one of the {group ? group.left : sessions.length}
            </a>
          )}
          <a href={href(visitorPath('/visitors/versions', choice))} suppressHydrationWarning>
            What went wrong
          </a>
        </p>
      </section>
    </div>
  );
}

type Split = VisitorSteps['splits'][number];

/** Two facets as a grid, one as a list: the share that went on. */
function Grid({ split, chosen }: { split: Split; chosen: readonly string[] | undefined }) {
  const isChosen = (values: readonly string[]) => chosen !== undefined && values.join('\0') === chosen.join('\0');
  if (split.facets.length === 1)
    return (
      <ul className={styles.pairs}>
        {split.values.slice(0, 8).map(({ values, lit, before }) => (
          <li key={values.join()} data-chosen={isChosen(values)}>
            <span>{values[0] || 'not reported'}</span>
            <span className="mono">
              <span className={styles.was}>{percent(before.wentOn, before.reached)}</span> → {percent(lit.wentOn, lit.reached)} %
              <span className="dim"> of {lit.reached}</span>
            </span>
          </li>
        ))}
      </ul>
    );
  const totals = (place: 0 | 1) => {
    const sums = new Map<string, number>();
    for (const { values, lit } of split.values) sums.set(values[place], (sums.get(values[place]) ?? 0) + lit.reached);
    return [...sums].sort((a, b) => b[1] - a[1]).map(([value]) => value);
  };
  const withChosen = (values: readonly string[], own: string | undefined, most: number) =>
    own !== undefined && !values.slice(0, most).includes(own) ? [...values.slice(0, most - 1), own] : values.slice(0, most);
  const rows = withChosen(totals(0), chosen?.[0], ROWS);
  const columns = withChosen(totals(1), chosen?.[1], COLUMNS);
  return (
    <table className={steps.grid}>
      <thead>
        <tr>
          <th>{split.facets.join(' × ')}</th>
          {columns.map((it) => (
            <th key={it}>{it || '–'}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row}>
            <th>{row || '–'}</th>
            {columns.map((column) => {
              const it = split.values.find(({ values }) => values[0] === row && values[1] === column);
              const share = it && it.lit.reached > 0 ? it.lit.wentOn / it.lit.reached : null;
              return (
                <td
                  key={column}
                  data-chosen={it !== undefined && isChosen(it.values)}
                  title={it ? `${it.lit.wentOn} of ${it.lit.reached}` : 'nobody'}
                >
                  {share !== null && <i style={{ height: `${Math.round(22 * share)}px` }} />}
                  <span className="mono">{share === null ? '–' : `${Math.round(100 * share)} %`}</span>
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
