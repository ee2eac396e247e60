import type { ReactNode } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { conditionsText } from '../../core/visits/visitFilter.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useScope } from '../../ui/state/scopeState.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { type VisitorPage, visitorPath, visitorTabs } from '../../ui/visitors/visitorPaths.ts';
import styles from './Visitors.module.css';
import { conditionsOf, type VisitorsOptions } from './visitorsOptions.ts';

export interface VisitorsFirst {
  readonly series?: RequestSeries;
  readonly options: VisitorsOptions;
}

interface Found {
  readonly error: Error | null;
  readonly isFetching: boolean;
  readonly refetch: () => unknown;
}

interface VisitorsFrameProps {
  readonly start: IslandStart;
  readonly first: VisitorsFirst;
  readonly here: VisitorPage;
  readonly options: VisitorsOptions;
  readonly setOptions: (part: Partial<VisitorsOptions>) => void;
  /** The question behind the page, and what is known of its answer. */
  readonly found: Found;
  readonly answer:
    | { readonly apps: readonly { readonly app: string; readonly visits: number }[]; readonly app: string }
    | undefined;
  readonly headline: string;
  /** Beside the headline. */
  readonly note?: ReactNode;
  /** Whether there is nothing to show. */
  readonly empty: boolean;
  readonly inspector: ReactNode;
  readonly inspectorLabel: string;
  readonly children: ReactNode;
}

/** What the pages about visitors share: their tabs, the application, who is looked at, the sentence, and what stands there when nothing is known. */
export function VisitorsFrame(props: VisitorsFrameProps) {
  const { start, first, here, options, setOptions, found, answer, headline, note, empty, inspector, inspectorLabel, children } =
    props;
  const { scope, change } = useScope();
  const conditions = conditionsOf(options);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel={inspectorLabel}
      inspector={inspector}
    >
      <header className={styles.head}>
        <PageTabs label="Visitors" tabs={visitorTabs(options)} here={visitorPath(here, options)} />
        {answer && <Apps answer={answer} choose={(app) => setOptions({ app, page: '', steps: '', step: '', group: '' })} />}
      </header>
      {conditions.length > 0 && (
        <ul className={styles.chips} aria-label="Which visitors">
          {conditions.map((it, at) => (
            <li key={`${it.field} ${it.not}`}>
              <button
                type="button"
                onClick={() =>
                  setOptions({
                    who: conditionsText(conditions.map((other, place) => (place === at ? { ...it, not: !it.not } : other))),
                  })
                }
              >
                <span className="unseen">turn around: </span>
                {it.field} {it.not && <b>not </b>}
                {it.values.map((value) => value || 'not reported').join(', ')}
              </button>
              <button
                type="button"
                onClick={() => setOptions({ who: conditionsText(conditions.filter((_, place) => place !== at)) })}
              >
                × <span className="unseen">drop {it.field}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
      <div className={styles.title}>
        <h1 className={styles.headline}>{answer ? headline : found.error ? 'No answer' : 'Looking at the visits …'}</h1>
        {answer && note && <span className="dim">{note}</span>}
      </div>
      <ChipsNote of="visits" />
      {found.error && !answer && (
        <Emptiness
          title="Visits cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && empty && (
        <Emptiness
          title={conditions.length > 0 ? 'No visit of these visitors is known here' : 'No visit is known in this window'}
          words={
            conditions.length > 0
              ? 'Nobody fulfils all that is asked for in this window.'
              : 'Visits come from the snippet that pages include (see Sites), or as lantern.visit events of a phone application.'
          }
          actions={[
            ...(conditions.length > 0 ? [{ label: 'All visitors', act: () => setOptions({ who: '' }) }] : []),
            { label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last' as const, ms: 3_600_000 } }) },
          ]}
        />
      )}
      {answer && !empty && children}
    </Frame>
  );
}

function Apps({ answer, choose }: { answer: NonNullable<VisitorsFrameProps['answer']>; choose: (app: string) => void }) {
  const names = answer.apps.map(({ app }) => app);
  if (answer.app && !names.includes(answer.app)) names.push(answer.app);
  if (names.length === 0) return null;
  return (
    <div className={styles.apps} role="group" aria-label="Application">
      {names.map((app) => (
        <button key={app} type="button" aria-pressed={app === answer.app} onClick={() => choose(app)}>
          {app} <small className="mono">{formatCount(answer.apps.find((it) => it.app === app)?.visits ?? 0)}</small>
        </button>
      ))}
    </div>
  );
}
