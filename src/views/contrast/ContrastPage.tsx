import { Menu } from '@mantine/core';
import { useMemo, useState } from 'react';
import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockRange } from '../../core/time/clock.ts';
import { type Pinnable, usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useContrast, useContrastMoved, useContrastWhere } from '../../ui/queries/contrast.ts';
import { saveCsv } from '../../ui/save/csv.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Contrast.module.css';
import { MovedList, NoDifference, WhereList } from './Lower.tsx';
import { ADDRESSED, type ContrastOptions, contrastQuery, USUAL } from './options.ts';
import { PeelBar } from './PeelBar.tsx';
import { Populations } from './Populations.tsx';
import { RowPanel } from './RowPanel.tsx';
import { RowTable } from './RowTable.tsx';
import { type Line, linesOf } from './rows.ts';
import { StackPanel } from './StackPanel.tsx';

import { clamped, fieldWords, headline, reportText, setWords, shareWords, sideWords, signedAmount, turnOf } from './words.ts';

export interface ContrastFirst {
  readonly series?: RequestSeries;
  readonly options: ContrastOptions;
}

const HOWS = [
  ['slow', 'slow, the rest'],
  ['failed', 'failed, fine'],
  ['before', 'lit, before'],
  ['sets', 'two sets'],
] as const;
/** Services and what they call of which measures are compared. */
const MOST_MOVED = 8;
const NOTABLE = 0.02;

/** What the bad ones have in common: two populations, what sets them apart, and what is left when that is peeled off. */
export function ContrastPage({ start, first }: { start: IslandStart; first: ContrastFirst }) {
  const { scope } = useScope();
  const [options, change] = usePageOptions(first.options, ADDRESSED);
  const [chosenKey, setChosen] = useState<string>();
  const bare = useMemo(() => contrastQuery({ ...options, peel: [], kept: [] }), [options]);
  const found = useContrast(scope, bare);
  const whole = found.data;
  const isPeeled = options.peel.length > 0;
  const alsoKeys = whole
    ? whole.rows
        .map(({ key }) => key)
        .filter((key) => !options.peel.includes(key))
        .slice(0, 12)
    : [];
  const isStacked = isPeeled || options.kept.length > 0;
  const peeled = useContrast(
    scope,
    { ...contrastQuery(options), also: JSON.stringify(alsoKeys) },
    isStacked && whole !== undefined,
  );
  const left = isStacked ? peeled.data : undefined;
  const isReady = whole?.enough === true && !found.isStale;
  const { kept: _, ...forWhere } = contrastQuery(options);
  const where = useContrastWhere(scope, forWhere, isReady);
  const places = useMemo(() => placesOf(where.data), [where.data]);
  const moved = useContrastMoved(scope, places);

  // Until what is left is known, the whole stands there.
  const isShownPeeled = isPeeled && left !== undefined;
  const lines = whole ? linesOf(whole, isShownPeeled ? left : undefined, isShownPeeled ? options.peel : []) : [];
  const chosen = lines.find(({ key }) => key === chosenKey) ?? lines[0];
  const toExplain = whole?.toExplain ?? 1;
  const leftOf = isPeeled && left ? left.left : toExplain;
  const peel = (key: string | undefined) => {
    if (hasWhole && key && !options.peel.includes(key)) change({ peel: [...options.peel, key] });
  };
  const layBack = () => isPeeled && change({ peel: options.peel.slice(0, -1) });
  const another = () => isPeeled && change({ kept: [...options.kept, options.peel].slice(-3), peel: [] });
  const forPin = contrastQuery({ ...options, kept: [] });
  const lead: Pinnable | undefined = chosen && {
    kind: 'contrast',
    what: `the row ${chosen.key}`,
    of: 'narrowed',
    query: forPin,
    part: { rows: chosen.key },
    said: `Requests with ${chosen.key}`,
    hypothesis: `It is the requests with ${chosen.key}`,
  };
  usePinnables([
    whole && { kind: 'contrast', what: 'what the bad ones have in common', of: 'narrowed', query: forPin },
    lead && { ...lead, hypothesis: '' },
  ]);
  const step = (by: number) => {
    const at = lines.findIndex(({ key }) => key === chosen?.key);
    setChosen(lines[Math.min(Math.max(at + by, 0), lines.length - 1)]?.key);
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
    ['Enter', () => peel(chosen?.key)],
    ['Backspace', () => layBack()],
    ['a', () => another()],
    ['x', () => change({ swap: options.swap === 'yes' ? 'no' : 'yes', peel: [], kept: [] })],
  ]);
  const shownRow = chosen?.row;
  const zone = useZone();
  const within =
    options.aFrom && options.aTo ? clockRange(Date.parse(options.aFrom), Date.parse(options.aTo), zone, start.now) : '';
  const sides = sideWords(options, whole, within);
  const sentence = whole ? headlineOf(whole, left, isPeeled) : found.error ? 'No answer' : 'Holding the two against each other …';
  // Where A is no worse than B there is no whole that shares could be of.
  const hasWhole = whole?.enough === true && turnOf(whole) === 'worse';
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching || peeled.isFetching || where.isFetching}
      trouble={whole ? (found.error ?? peeled.error) : null}
      inspectorLabel="Peeled so far, and the chosen hypothesis"
      inspector={
        whole?.enough && (
          <div className={styles.panel}>
            {hasWhole && (
              <StackPanel
                stack={left?.stack ?? []}
                kept={left?.kept ?? []}
                toExplain={toExplain}
                layBack={layBack}
                keep={another}
                take={(at) => {
                  const others = options.kept.filter((_, index) => index !== at);
                  change({ peel: options.kept[at], kept: isPeeled ? [...others, options.peel] : others });
                }}
              />
            )}
            {left && isPeeled && <PairNote kept={left.kept} stack={left.stack} toExplain={toExplain} />}
            {shownRow && (
              <RowPanel
                row={shownRow}
                answer={whole}
                canPeel={hasWhole && chosen.state !== 'peeled'}
                hasWhole={hasWhole}
                now={start.now}
                peel={() => peel(chosen.key)}
                lead={lead}
              />
            )}
            <p className={styles.keys}>
              <kbd>↵</kbd> peel <kbd>⌫</kbd> lay back <kbd>a</kbd> another stack <kbd>x</kbd> swap
            </p>
          </div>
        )
      }
    >
      <header className={styles.heading}>
        <h1>{sentence}</h1>
        <nav aria-label="What is held against what">
          {HOWS.map(([how, name]) => (
            <button
              key={how}
              type="button"
              aria-pressed={options.how === how}
              onClick={() => change({ ...USUAL, how, a: how === 'sets' ? options.a : '', b: how === 'sets' ? options.b : '' })}
            >
              {name}
            </button>
          ))}
        </nav>
      </header>
      <Populations answer={whole} options={options} words={sides} change={change} />
      {found.error && !whole && (
        <Emptiness
          title="This cannot be contrasted"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {whole && !whole.enough && (
        <Emptiness
          title="Not enough requests"
          words={`A has ${formatCount(Math.round(whole.a.requests))}, B has ${formatCount(Math.round(whole.b.requests))}; less than 20 on a side tell nothing. Light a longer window, drop a chip, or hold something else against each other.`}
          actions={HOWS.filter(([how]) => how !== options.how && how !== 'sets').map(([how, name]) => ({
            label: name,
            act: () => change({ ...USUAL, how }),
          }))}
        />
      )}
      {whole?.enough && (
        <>
          <div className={styles.whole}>
            <Outcome answer={whole} options={options} change={change} />
            <span role="status">
              {whole.read < whole.of
                ? `from a sample of ${formatCount(whole.read)} of ${formatCount(whole.of)} requests${found.isRefining ? ', refining' : ''}`
                : `all ${formatCount(whole.of)} requests · ${formatCount(whole.looked)} sets looked at`}
            </span>
            <span>
              the whole difference <b className="mono">{wholeWords(whole)}</b>
            </span>
            <SaveMenu whole={whole} left={left} lines={lines} where={where.data} sides={sides} />
          </div>
          {hasWhole && (
            <PeelBar
              layers={(left?.stack ?? []).map((it) => ({
                key: it.key,
                words: setWords(it),
                share: clamped(it.amount / toExplain),
                mixShare: mixShareOf(it),
                amounts: shareWords(it.amount / toExplain),
              }))}
              left={isPeeled && left ? clamped(left.left / toExplain) : 1}
              whole={`the whole difference, ${wholeWords(whole)}`}
            />
          )}
          {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
          <div className={styles.scroller} tabIndex={0} role="group" aria-label="What sets the two apart">
            <RowTable
              lines={lines}
              chosen={chosen?.key}
              choose={setChosen}
              peel={peel}
              toExplain={toExplain}
              left={leftOf}
              isPeeled={isShownPeeled}
              wholeWords={whole.byOutcome ? '' : signedAmount(toExplain, whole.outcome)}
              leftWords={whole.byOutcome ? shareWords(leftOf) : signedAmount(leftOf, whole.outcome)}
              stale={found.isStale || peeled.isStale}
              hasWhole={hasWhole}
              outcome={whole.outcome}
            />
            {lines.length === 0 && (
              <p className={styles.nothing}>
                {hasWhole
                  ? `None of ${formatCount(whole.looked)} sets of requests explains the difference for sure.`
                  : `None of ${formatCount(whole.looked)} sets of requests is worse in A for sure.`}
              </p>
            )}
            <p className={styles.legend}>
              {!whole.byOutcome && (
                <>
                  <i className={styles.keySolid} /> {whole.outcome === 'duration' ? 'they are slower' : 'they fail more'}{' '}
                  <i className={styles.keyDotted} /> there are more of them{' '}
                </>
              )}
              <i className={styles.keyFaint} /> may be nothing <i className={styles.keyRange} /> 95 times in 100
              <span>rows overlap; only what is peeled adds up</span>
            </p>
            <div className={styles.lower}>
              <NoDifference
                answer={isPeeled && left ? left : whole}
                beside={(isPeeled && left ? left : whole).rows[0] && setWords((isPeeled && left ? left : whole).rows[0])}
              />
              <WhereList where={where.data} error={where.error} outcome={whole.outcome} isPeeled={isPeeled} />
              <MovedList
                moved={moved.data}
                where={where.data}
                error={moved.error}
                began={whole.rows[0]?.firstAt ?? null}
                now={start.now}
              />
            </div>
          </div>
        </>
      )}
    </Frame>
  );
}

function headlineOf(whole: ContrastAnswer, left: ContrastAnswer | undefined, isPeeled: boolean): string {
  if (!isPeeled || !left) return headline(whole, whole.rows[0]);
  const share = 1 - left.left / whole.toExplain;
  const names = left.stack.map(setWords);
  return `${shareWords(clamped(share))} peeled off: ${names.join(', then ')}`;
}

function wholeWords({ byOutcome, a, b, outcome, difference, mixOfEntries, how }: ContrastAnswer): string {
  if (byOutcome)
    return `${formatCount(Math.round(a.requests))} of ${formatCount(Math.round(a.requests + b.requests))}${how === 'slow' ? `, mean ${signedAmount(difference, outcome)}` : ''}`;
  const mix =
    Math.abs(mixOfEntries) > 0.01 * Math.abs(difference)
      ? `, ${signedAmount(mixOfEntries, outcome)} of it from other entries`
      : '';
  return `${signedAmount(difference, outcome)}${mix}`;
}

function mixShareOf({ behaviour, mix }: { readonly behaviour: number; readonly mix: number }): number {
  const [slower, more] = [Math.max(0, behaviour), Math.max(0, mix)];
  return slower + more > 0 ? more / (slower + more) : 0;
}

/** Parties whose time changed most, or where failures start. */
function placesOf(where: ReturnType<typeof useContrastWhere>['data']): string[] {
  if (!where) return [];
  const sums = new Map<string, number>();
  for (const { party, a, b } of where.lines) sums.set(party, (sums.get(party) ?? 0) + Math.abs(a - b));
  const all = [...sums.values()].reduce((sum, it) => sum + it, 0);
  const slow = [...sums]
    .filter(([, change]) => change >= NOTABLE * all)
    .sort((one, other) => other[1] - one[1])
    .map(([party]) => party);
  const failing = where.failing.slice(0, 3).map(({ party }) => party);
  return [...new Set([...failing, ...slow])].filter((it) => !it.includes(',')).slice(0, MOST_MOVED);
}

interface OutcomeProps {
  readonly answer: ContrastAnswer;
  readonly options: ContrastOptions;
  readonly change: (part: Partial<ContrastOptions>) => void;
}

/** Whether durations or failures are held against each other. */
function Outcome({ answer, options, change }: OutcomeProps) {
  if (options.how !== 'before' && options.how !== 'sets') return <span />;
  return (
    <span className={styles.outcome} role="group" aria-label="Held against each other by">
      {(['duration', 'failures'] as const).map((it) => (
        <button
          key={it}
          type="button"
          aria-pressed={answer.outcome === it}
          onClick={() => change({ outcome: it, peel: [], kept: [] })}
        >
          {it === 'duration' ? 'how long' : 'how many fail'}
        </button>
      ))}
    </span>
  );
}

/** When two that were peeled one after the other explain less than both at once: it is the pair. */
function PairNote({
  kept,
  stack,
  toExplain,
}: {
  kept: readonly ContrastAnswer['stack'][];
  stack: ContrastAnswer['stack'];
  toExplain: number;
}) {
  const share = (of: ContrastAnswer['stack']) => (of.length === 0 ? 0 : 1 - (of.at(-1)?.left ?? 0) / toExplain);
  const pair = stack.length === 1 && stack[0].facets.length === 2 ? stack[0] : undefined;
  const other = kept.find((it) => it.length === 2);
  if (!pair || !other || share(stack) <= share(other) + 0.05) return null;
  return <p className={styles.note}>The two together explain more than one after the other. It is the pair.</p>;
}

interface SaveMenuProps {
  readonly whole: ContrastAnswer;
  readonly left: ContrastAnswer | undefined;
  readonly lines: readonly Line[];
  readonly where: ReturnType<typeof useContrastWhere>['data'];
  readonly sides: { readonly a: string; readonly b: string };
}

/** Rows as CSV; the page as a text that can be sent. */
function SaveMenu({ whole, left, lines, where, sides }: SaveMenuProps) {
  const [text, setText] = useState<string>();
  const save = () =>
    saveCsv('contrast', [
      [
        'hypothesis',
        'fields',
        'conditions',
        'requests A',
        'requests B',
        'share of the whole',
        'from',
        'to',
        'amount',
        'they differ',
        'more of them',
        'chance',
        'state',
      ],
      ...lines.map(({ set, key, row, ofWhole, state }) => [
        setWords(set),
        fieldWords(set),
        key,
        Math.round(ofWhole?.requests.a ?? 0),
        Math.round(ofWhole?.requests.b ?? 0),
        ofWhole ? ofWhole.amount / whole.toExplain : null,
        ofWhole ? ofWhole.range[0] / whole.toExplain : null,
        ofWhole ? ofWhole.range[1] / whole.toExplain : null,
        ofWhole?.amount ?? null,
        ofWhole?.behaviour ?? null,
        ofWhole?.mix ?? null,
        row?.chance ?? null,
        state,
      ]),
    ]);
  const saveWhere = () =>
    saveCsv('contrast-where', [
      ['party', 'operation', 'kind', 'ns a request in A', 'in B', 'left in A', 'left in B'],
      ...(where?.lines ?? []).map((it) => [it.party, it.operation, it.kind, it.a, it.b, it.leftA, it.leftB]),
    ]);
  const copy = async () => {
    const report = reportText({ ...whole, stack: left?.stack ?? [] }, sides, location.href);
    try {
      await navigator.clipboard.writeText(report);
      setText('Copied.');
    } catch {
      setText(report);
    }
  };
  return (
    <Menu withinPortal={false} position="bottom-end" onClose={() => setText(undefined)} closeOnItemClick={false}>
      <Menu.Target>
        <button type="button" className={styles.save} aria-label="Save or copy what is shown">
          save
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => void copy()}>Copy as a text</Menu.Item>
        <Menu.Item onClick={save}>Hypotheses as CSV</Menu.Item>
        <Menu.Item onClick={saveWhere}>Where in the system as CSV</Menu.Item>
        {text === 'Copied.' && <p role="status">Copied.</p>}
        {text !== undefined && text !== 'Copied.' && (
          <textarea
            className={styles.report}
            readOnly
            value={text}
            aria-label="The page as a text"
            onFocus={(event) => event.target.select()}
          />
        )}
      </Menu.Dropdown>
    </Menu>
  );
}
