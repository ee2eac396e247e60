import { useState } from 'react';
import type { LogStitch } from '../../api/logs/stitch.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { clockRange } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { LOG_PAGES } from '../../ui/logs/logsPath.ts';
import { useLogStitch } from '../../ui/queries/logs.ts';
import { saveCsv } from '../../ui/save/csv.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { GroupLines } from './GroupLines.tsx';
import { Loom } from './Loom.tsx';
import { ADDRESSED, type StitchOptions, stitchQuery } from './options.ts';
import styles from './Stitched.module.css';
import { classWords, stepWords, stitchHeadline } from './words.ts';

export interface StitchedFirst {
  readonly series?: RequestSeries;
  readonly options: StitchOptions;
}

/** Lines joined by what they are about: which step is late, missing, repeated, and for whom. */
export function StitchedPage({ start, first }: { start: IslandStart; first: StitchedFirst }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const [options, change] = usePageOptions(first.options, ADDRESSED);
  const found = useLogStitch(scope, stitchQuery(options));
  const answer = found.data;
  const off = (answer?.threads ?? []).filter(({ isChosen }) => isChosen).sort((a, b) => a.at - b.at);
  usePinnables([
    answer && { kind: 'groups', what: 'the groups that are not as usual', of: 'narrowed', query: stitchQuery(options) },
  ]);
  const step = (by: number) => {
    const at = off.findIndex(({ key }) => key === options.group);
    const next = off[Math.min(Math.max(at + by, 0), off.length - 1)];
    if (next) change({ group: next.key }, false);
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
    ['Escape', () => change({ group: '' }, false)],
  ]);
  const chosen = answer?.classes.find(({ id }) => id === answer.chosen);
  const name = answer?.keys.find(({ name: it }) => it === answer.key)?.words ?? '';
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="What is not as usual"
      isOfLines
      inspector={
        answer &&
        answer.groups > 0 && (
          <div className={styles.aside}>
            <Classes answer={answer} choose={(id) => change({ chosen: id, group: '' })} />
            {chosen && <Common answer={answer} />}
            {options.group !== '' && <GroupLines scope={scope} name={answer.key ?? ''} group={options.group} />}
            {chosen && chosen.firstAt < chosen.lastAt && options.group === '' && (
              <p className="dim">They began {clockRange(chosen.firstAt, chosen.lastAt, zone, start.now)}.</p>
            )}
            {answer.common.some(({ kind }) => kind === 'attribute') && (
              <p className={styles.actions}>
                <a
                  href={contrastPath(href, {
                    how: 'sets',
                    a: answer.common
                      .filter(({ kind }) => kind === 'attribute')
                      .slice(0, 1)
                      .map((it) => condition(it.name, 'is', it.value)),
                  })}
                  suppressHydrationWarning
                >
                  Contrast requests with it
                </a>
              </p>
            )}
            <p className={styles.keys}>
              <kbd>j</kbd> <kbd>k</kbd> next one off the usual path
            </p>
          </div>
        )
      }
    >
      <header className={styles.head}>
        <PageTabs label="Logs" tabs={LOG_PAGES} here="/logs/stitched" />
        {answer && answer.key !== null && (
          <p>
            lines stitched by{' '}
            <select
              value={answer.key}
              aria-label="Key"
              onChange={(event) => change({ key: event.target.value, chosen: '', group: '' })}
            >
              {answer.keys.map((it) => (
                <option key={it.name} value={it.name}>
                  {it.words}, as {it.sample}
                </option>
              ))}
            </select>
            , a step for each{' '}
            <select
              value={options.step}
              aria-label="Step"
              onChange={(event) => change({ step: event.target.value, chosen: '', group: '' })}
            >
              <option value="shape">message shape</option>
              <option value="service">service</option>
              <option value="service.instance.id">instance</option>
              {!['shape', 'service', 'service.instance.id'].includes(options.step) && (
                <option value={options.step}>{options.step}</option>
              )}
            </select>
            , against {answer.usualIs === 'before' ? 'the usual before' : 'most of them, as there is too little before'}
            <button type="button" className={styles.save} onClick={() => saveThreads(answer)}>
              save
            </button>
          </p>
        )}
      </header>
      <h1>{answer ? stitchHeadline(answer) : found.error ? 'No answer' : 'Stitching lines …'}</h1>
      {found.error && !answer && (
        <Emptiness
          title="Lines cannot be stitched"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && answer.key === null && (
        <Emptiness
          title="No key joins these lines"
          words="A key is something like an order number: many values, each in lines of several shapes. None was found in the lit window with these conditions. Light a longer window or drop a chip."
          actions={[{ label: 'To the lines', act: () => location.assign(href('/logs')) }]}
        />
      )}
      {answer && answer.groups > 0 && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Loom" data-stale={found.isPlaceholderData}>
          <Loom answer={answer} group={options.group} open={(group) => change({ group }, false)} />
          <p className={styles.legend}>
            <i data-kind="usual" /> as usual <i data-kind="off" /> off its usual time <i data-kind="chosen" /> the chosen{' '}
            <i data-kind="band" /> usual: 9 of 10 {answer.usualIs === 'before' ? 'before' : 'of all'}
            <span>
              {formatCount(answer.threads.length)} of {formatCount(answer.groups)} are drawn, all that are off first
              {answer.leftOut > 0 && `; ${formatCount(answer.leftOut)} lines found no room`}
            </span>
          </p>
          {chosen && (
            <Chosen
              threads={off}
              steps={answer.steps}
              at={chosen.at}
              open={(group) => change({ group }, false)}
              group={options.group}
              name={name}
            />
          )}
        </section>
      )}
    </Frame>
  );
}

function Classes({
  answer: { classes, chosen, steps, groups, off },
  choose,
}: {
  answer: LogStitch;
  choose: (id: string) => void;
}) {
  const [all, setAll] = useState(false);
  return (
    <section>
      <h2>
        Off the usual path{' '}
        <small>
          {formatCount(off)} of {formatCount(groups)}
        </small>
      </h2>
      {classes.length === 0 && <p>None is late, missing, repeated or out of order.</p>}
      <ul className={styles.classes}>
        {classes.slice(0, all ? undefined : MOST_CLASSES).map((it) => (
          <li key={it.id}>
            <button type="button" aria-pressed={it.id === chosen} onClick={() => choose(it.id)}>
              <span>{classWords(it, steps)}</span>
              <b>{formatCount(it.groups)}</b>
            </button>
          </li>
        ))}
      </ul>
      {classes.length > MOST_CLASSES && (
        <button type="button" className={styles.more} onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${classes.length - MOST_CLASSES} more`}
        </button>
      )}
    </section>
  );
}

const MOST_CLASSES = 6;

/** What only the chosen groups have. */
function Common({ answer: { common, commonOf } }: { answer: LogStitch }) {
  return (
    <section>
      <h2>
        What the {formatCount(commonOf.chosen)} have in common{' '}
        <small>
          of {formatCount(commonOf.chosen)}, of {formatCount(commonOf.others)} others
        </small>
      </h2>
      {common.length === 0 && <p>Nothing that sets them apart for sure: no shape, attribute or host.</p>}
      <ul className={styles.common}>
        {common.map((it) => (
          <li key={`${it.kind} ${it.name} ${it.value}`}>
            <span>
              {it.kind === 'shape' ? <b>{stepWords({ pieces: it.pieces ?? [it.value] }, 60)}</b> : `${it.name} ${it.value}`}
            </span>
            <span className="mono">
              <em>{formatCount(it.chosen)}</em>
              <i>{formatCount(it.others)}</i>
            </span>
            <span className={styles.shares}>
              <s data-side="chosen" style={{ width: `${(100 * it.chosen) / Math.max(1, commonOf.chosen)}%` }} />
              <s data-side="others" style={{ width: `${(100 * it.others) / Math.max(1, commonOf.others)}%` }} />
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface ChosenProps {
  readonly threads: LogStitch['threads'];
  readonly steps: LogStitch['steps'];
  readonly at: number;
  readonly group: string;
  readonly name: string;
  readonly open: (key: string) => void;
}

/** The chosen groups by when they began, as buttons. */
function Chosen({ threads, steps, at, group, open, name }: ChosenProps) {
  return (
    <section>
      <h2>
        The chosen, by when they began <small>{stepWords(steps[at])}</small>
      </h2>
      <p className={styles.chosen} role="group" aria-label={`Chosen ${name}`}>
        {threads.slice(0, 120).map(({ key }) => (
          <button key={key} type="button" aria-pressed={key === group} onClick={() => open(key)}>
            {key}
          </button>
        ))}
        {threads.length > 120 && <span className="dim">and {formatCount(threads.length - 120)} more</span>}
      </p>
    </section>
  );
}

function saveThreads({ threads, steps }: LogStitch): void {
  saveCsv('stitched', [
    ['group', 'began', ...steps.map((it) => `${stepWords(it, 80)} ms`), 'off'],
    ...threads.map((it) => [
      it.key,
      new Date(it.at).toISOString(),
      ...it.since,
      it.off.map(({ how, at }) => `${how}: ${stepWords(steps[at], 80)}`).join('; '),
    ]),
  ]);
}
