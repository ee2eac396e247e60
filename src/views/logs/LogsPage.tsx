import { Menu } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { LogLine } from '../../api/logs/lines.ts';
import type { LogOverview } from '../../api/logs/overview.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { NothingHere } from '../../ui/empty/NothingHere.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { LOG_PAGES } from '../../ui/logs/logsPath.ts';
import { useLogLines, useLogOverview } from '../../ui/queries/logs.ts';
import { saveCsv } from '../../ui/save/csv.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { FieldList } from './FieldList.tsx';
import { LineList } from './LineList.tsx';
import { LinePanel } from './LinePanel.tsx';
import styles from './Logs.module.css';
import { ADDRESSED, type LogOptions, questionOf } from './options.ts';
import { SeverityStrips } from './SeverityStrips.tsx';
import { ShapeList } from './ShapeList.tsx';
import { useTail } from './useTail.ts';
import { type LogShape, logsHeadline, shapesWords, shapeText, shortened } from './words.ts';

export interface LogsFirst {
  readonly series?: RequestSeries;
  readonly options: LogOptions;
}

/** Keys that choose severities: from this one up, as a program logs. */
const LEVELS: Readonly<Record<string, readonly string[]>> = {
  '1': ['fatal', 'error'],
  '2': ['fatal', 'error', 'warn'],
  '3': ['fatal', 'error', 'warn', 'info'],
  '0': [],
};
const MORE: readonly LogShape['state'][] = ['new', 'burst', 'more', 'gone', 'fewer'];

/** What is said that was not said before: lines by severity, reduced to shapes, and one by one. */
export function LogsPage({ start, first }: { start: IslandStart; first: LogsFirst }) {
  const { scope } = useScope();
  const zone = useZone();
  const [options, change] = usePageOptions(first.options, ADDRESSED);
  const [typed, setTyped] = useState(options.text);
  const [sought] = useDebouncedValue(typed, 350);
  const [follows, setFollows] = useState(false);
  const search = useRef<HTMLInputElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: typing leads, the address follows
  useEffect(() => {
    if (sought !== options.text) change({ text: sought }, false);
  }, [sought]);
  // The browser's Back, or a way that was chosen on the page, puts another text there.
  useEffect(() => setTyped(options.text), [options.text]);
  const question = useMemo(() => questionOf(options), [options]);
  const overview = useLogOverview(scope, question);
  const answer = overview.data;
  const isLines = options.as === 'lines' || follows;
  const { columns } = options;
  const listed = useMemo(() => (columns.length > 0 ? { ...question, fields: columns.join(',') } : question), [question, columns]);
  const pages = useLogLines(scope, listed, options.order, isLines && !follows);
  const tail = useTail(scope, question, follows);
  const lines =
    follows || (tail.lines.length > 0 && options.as === 'shapes')
      ? tail.lines
      : (pages.data?.pages.flatMap((page) => page.lines) ?? []);
  const shapes = useMemo(() => sorted(answer?.shapes ?? [], options.sort), [answer, options.sort]);
  const choose = (line: Pick<LogLine, 'id'>) => change({ line: line.id }, false);
  const severity = (chosen: readonly string[]) => change({ severity: chosen });
  const stepLine = (by: number) => {
    const at = lines.findIndex(({ id }) => id === options.line);
    const next = lines[Math.min(Math.max(at + by, 0), lines.length - 1)];
    if (next) choose(next);
  };
  const stepShape = (by: number) => {
    const at = shapes.findIndex(({ id }) => id === options.open);
    const next = shapes[Math.min(Math.max(at + by, 0), shapes.length - 1)];
    if (next) change({ open: next.id, as: 'shapes' }, false);
  };
  const openShape = shapes.find(({ id }) => id === options.open);
  usePinnables([
    options.line !== '' && {
      kind: 'line',
      what: 'the chosen line with those around it',
      of: 'nothing',
      query: { line: options.line },
      said: '',
    },
    openShape !== undefined &&
      options.as === 'shapes' && {
        kind: 'shapes',
        what: 'the opened shape',
        of: 'narrowed',
        query: question,
        part: { rows: openShape.id },
      },
    { kind: 'shapes', what: 'shapes that changed', of: 'narrowed', query: question },
    isLines && {
      kind: 'lines',
      what: 'the first lines',
      of: 'narrowed',
      query: { ...question, order: options.order, limit: '60' },
    },
  ]);
  const drop = (id: string) => change({ without: [...options.without, id], open: '' });
  usePageKeys([
    ['s', () => search.current?.focus()],
    ['j', () => (isLines ? stepLine(1) : stepShape(1))],
    ['k', () => (isLines ? stepLine(-1) : stepShape(-1))],
    ['ArrowDown', () => (isLines ? stepLine(1) : stepShape(1))],
    ['ArrowUp', () => (isLines ? stepLine(-1) : stepShape(-1))],
    ['n', () => stepShape(1)],
    ['e', () => options.open !== '' && drop(options.open)],
    ['l', () => change({ as: options.as === 'lines' ? 'shapes' : 'lines' })],
    ['w', () => change({ wrap: !options.wrap }, false)],
    ['f', () => setFollows(!follows)],
    ['Escape', () => change({ line: '', open: '' }, false)],
    ...Object.entries(LEVELS).map(([key, chosen]) => [key, () => severity(chosen)] as [string, () => void]),
  ]);
  const isEmpty = answer !== undefined && answer.total.lit === 0 && answer.total.before === 0;
  const isNarrowed = Object.keys(question).length > 0;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={overview.isFetching || (pages.isFetching && !follows)}
      trouble={answer ? (overview.error ?? pages.error ?? tail.error) : null}
      inspectorLabel="Line"
      isOfLines
      inspector={
        options.line !== '' ? (
          <LinePanel id={options.line} choose={(id) => change({ line: id }, false)} />
        ) : (
          answer && <Guide answer={answer} shapes={answer.shapes} />
        )
      }
    >
      <header className={styles.head}>
        <PageTabs label="Logs" tabs={LOG_PAGES} here="/logs" />
        <div className={styles.tools}>
          <input
            ref={search}
            type="search"
            value={typed}
            placeholder={'words, "words in this order", -without, /pattern/'}
            aria-label="Text of the lines"
            onChange={(event) => setTyped(event.target.value)}
            onKeyDown={(event) => event.key === 'Escape' && search.current?.blur()}
          />
          <button type="button" aria-pressed={follows} onClick={() => setFollows(!follows)}>
            {follows ? 'pause' : 'follow'}
          </button>
          <SaveMenu answer={answer} lines={lines} columns={columns} from={windowAt(scope.lit, start.now)} />
        </div>
      </header>
      <h1 className={styles.headline}>
        {answer ? logsHeadline(answer, zone, start.now) : overview.error ? 'No answer' : 'Reading lines …'}
      </h1>
      {overview.error && !answer && (
        <Emptiness
          title="Lines cannot be shown"
          words={overview.error.message}
          actions={[{ label: 'Try again', act: () => void overview.refetch() }]}
        />
      )}
      {isEmpty &&
        (isNarrowed ? (
          <Emptiness
            title="No line fits"
            words="No line of the lit window fits the text, severity and shapes that were chosen."
            actions={[
              {
                label: 'Show all lines',
                act: () => {
                  setTyped('');
                  change({ text: '', severity: [], shape: [], without: [] });
                },
              },
            ]}
          />
        ) : (
          <NothingHere kept={first.series?.kept ?? null} known={first.series !== undefined} now={start.now} />
        ))}
      {answer && !isEmpty && (
        <>
          <SeverityStrips
            answer={answer}
            chosen={options.severity}
            choose={(it) =>
              severity(
                options.severity.includes(it) ? options.severity.filter((other) => other !== it) : [...options.severity, it],
              )
            }
          />
          <Chosen options={options} answer={answer} change={change} />
          <div className={styles.columns} data-stale={overview.isPlaceholderData}>
            <div className={styles.main}>
              <div className={styles.bar}>
                <nav aria-label="How lines are shown">
                  {(['shapes', 'lines'] as const).map((as) => (
                    <button
                      key={as}
                      type="button"
                      aria-pressed={isLines === (as === 'lines')}
                      onClick={() => {
                        setFollows(false);
                        change({ as });
                      }}
                    >
                      {as === 'shapes'
                        ? shapesWords(answer.shapes.length + answer.shapesNotListed.shapes)
                        : `${formatCount(answer.total.lit)} lines`}
                    </button>
                  ))}
                </nav>
                {isLines ? (
                  <nav aria-label="Order of lines">
                    {!follows &&
                      (['newest', 'oldest'] as const).map((order) => (
                        <button
                          key={order}
                          type="button"
                          aria-pressed={options.order === order}
                          onClick={() => change({ order })}
                        >
                          {order} first
                        </button>
                      ))}
                    {follows && <span role="status">following; the newest are last</span>}
                    <button type="button" aria-pressed={options.wrap} onClick={() => change({ wrap: !options.wrap }, false)}>
                      wrap
                    </button>
                  </nav>
                ) : (
                  <nav aria-label="Order of shapes">
                    {(
                      [
                        ['new', 'new first'],
                        ['moved', 'moved most'],
                        ['most', 'most'],
                      ] as const
                    ).map(([sort, name]) => (
                      <button key={sort} type="button" aria-pressed={options.sort === sort} onClick={() => change({ sort })}>
                        {name}
                      </button>
                    ))}
                  </nav>
                )}
              </div>
              {tail.passedOver > 0 && follows && (
                <p className="dim" role="status">
                  {formatCount(tail.passedOver)} lines came faster than they can be shown; narrow to see all.
                </p>
              )}
              {isLines ? (
                <LineList
                  lines={lines}
                  chosen={options.line}
                  choose={choose}
                  wrap={options.wrap}
                  columns={columns}
                  more={() => void pages.fetchNextPage()}
                  hasMore={!follows && pages.hasNextPage}
                  isFetching={pages.isFetching && !follows}
                  follows={follows && options.line === ''}
                />
              ) : (
                // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
                <div className={styles.scroller} tabIndex={0} role="group" aria-label="Message shapes, scrolling">
                  <ShapeList
                    answer={answer}
                    shapes={shapes}
                    scope={scope}
                    question={question}
                    open={options.open}
                    line={options.line}
                    now={start.now}
                    toggle={(id) => change({ open: options.open === id ? '' : id }, false)}
                    choose={choose}
                    only={(id) => change({ shape: [id], as: 'lines', open: '' })}
                    drop={drop}
                    seek={(value) => setTyped(`"${value}"`)}
                  />
                </div>
              )}
            </div>
            <FieldList
              answer={answer}
              columns={options.columns}
              column={(field) =>
                change({
                  columns: options.columns.includes(field)
                    ? options.columns.filter((it) => it !== field)
                    : [...options.columns, field].slice(-4),
                })
              }
            />
          </div>
        </>
      )}
    </Frame>
  );
}

function sorted(shapes: readonly LogShape[], sort: LogOptions['sort']): readonly LogShape[] {
  if (sort === 'most') return [...shapes].sort((a, b) => b.lit - a.lit);
  if (sort === 'moved') return [...shapes].sort((a, b) => a.chance - b.chance || b.lit - a.lit);
  return shapes;
}

interface ChosenProps {
  readonly options: LogOptions;
  readonly answer: LogOverview;
  readonly change: (part: Partial<LogOptions>) => void;
}

/** Shapes that are chosen or left out, each to be taken back. */
function Chosen({ options: { shape, without }, answer, change }: ChosenProps) {
  if (shape.length + without.length === 0) return null;
  const name = (id: string) => {
    const found = answer.shapes.find((it) => it.id === id);
    return found ? shortened(shapeText(found), 50) : 'a shape';
  };
  return (
    <p className={styles.chosen}>
      {shape.map((id) => (
        <button key={id} type="button" onClick={() => change({ shape: shape.filter((it) => it !== id) })}>
          only “{name(id)}” ×
        </button>
      ))}
      {without.map((id) => (
        <button key={id} type="button" onClick={() => change({ without: without.filter((it) => it !== id) })}>
          not “{name(id)}” ×
        </button>
      ))}
    </p>
  );
}

/** What to make of the page before a line is chosen. */
function Guide({ answer, shapes }: { answer: LogOverview; shapes: readonly LogShape[] }) {
  const told = shapes.filter(({ state }) => MORE.includes(state));
  return (
    <div className={styles.panel}>
      <h2>What changed</h2>
      <p>
        {told.length === 0
          ? shapes.length === 1
            ? 'The one message shape is neither new nor gone, and comes about as often as before.'
            : `None of ${formatCount(shapes.length)} message shapes is new, gone, or comes more or less often than before.`
          : MORE.map((state) => ({ state, count: told.filter((it) => it.state === state).length }))
              .filter(({ count }) => count > 0)
              .map(({ state, count }) => `${count} ${state === 'burst' ? 'at once' : state}`)
              .join(' · ')}
      </p>
      <p className="dim">
        A shape is the same message with other values. Findings are wrong in at most 1 of 100; more traffic alone is none.
        {answer.leftOut > 0 && ` ${formatCount(answer.leftOut)} records came too much out of order to be shown; they are stored.`}
        {answer.building > 0 &&
          ` Lines of ${answer.building} stretches of ten minutes are still being read; they are left out so far.`}
      </p>
      <p className={styles.keys}>
        <kbd>n</kbd> next shape <kbd>e</kbd> not this <kbd>l</kbd> lines <kbd>j</kbd> <kbd>k</kbd> next, previous <kbd>1</kbd>{' '}
        errors <kbd>2</kbd> and warnings <kbd>0</kbd> all <kbd>f</kbd> follow <kbd>s</kbd> text
      </p>
    </div>
  );
}

interface SaveMenuProps {
  readonly answer: LogOverview | undefined;
  readonly lines: readonly LogLine[];
  readonly columns: readonly string[];
  readonly from: { readonly from: number; readonly to: number };
}

function SaveMenu({ answer, lines, columns, from: { from, to } }: SaveMenuProps) {
  const window = `from=${new Date(from).toISOString()}&to=${new Date(to).toISOString()}`;
  return (
    <Menu withinPortal={false} position="bottom-end">
      <Menu.Target>
        <button type="button" aria-label="Save what is shown">
          save
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item
          onClick={() =>
            saveCsv('shapes', [
              ['state', 'shape', 'severity', 'services', 'before', 'lit', 'times', 'chance', 'id'],
              ...(answer?.shapes ?? []).map((it) => [
                it.state,
                shapeText(it),
                it.severity,
                it.services.join(' '),
                it.before,
                it.lit,
                it.times,
                it.chance,
                it.id,
              ]),
            ])
          }
        >
          Shapes as CSV
        </Menu.Item>
        <Menu.Item
          disabled={lines.length === 0}
          onClick={() =>
            saveCsv('lines', [
              ['time', 'severity', 'service', 'instance', 'text', 'shape', ...columns],
              ...lines.map((it) => [it.at, it.severity, it.service, it.instance, it.text, it.shape, ...it.fields]),
            ])
          }
        >
          {lines.length === 0 ? 'Lines as CSV: list them first' : `${formatCount(lines.length)} lines that are listed as CSV`}
        </Menu.Item>
        <Menu.Item component="a" href={`/api/export/logs?${window}`} download="logs.jsonl">
          All records of the window as OTLP JSON lines
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
