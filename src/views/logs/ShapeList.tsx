import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import type { LogLine } from '../../api/logs/lines.ts';
import type { LogOverview } from '../../api/logs/overview.ts';
import { formatCount } from '../../core/measures/amount.ts';
import type { Scope } from '../../core/scope/scope.ts';
import { clockTimeExact, dayTime } from '../../core/time/clock.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { useLogLines } from '../../ui/queries/logs.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Logs.module.css';
import { ShapeDecisions } from './ShapeDecisions.tsx';
import { harmless, isOfNumbers, type LogShape, nameOfHole, shortened, spreadWords, stateWord } from './words.ts';

interface ShapeListProps {
  readonly answer: LogOverview;
  readonly shapes: readonly LogShape[];
  readonly scope: Scope;
  readonly question: Readonly<Record<string, string>>;
  readonly open: string;
  readonly line: string;
  readonly now: number;
  readonly toggle: (id: string) => void;
  readonly choose: (line: LogLine) => void;
  /** Only lines of it; none of it. */
  readonly only: (id: string) => void;
  readonly drop: (id: string) => void;
  /** Only lines that have a value in a hole: the text of it is looked for. */
  readonly seek: (value: string) => void;
}

/** Charts come with a library of their own, which few look for here. */
const HoleNumbers = lazy(() => import('./HoleNumbers.tsx'));

/** Message shapes, those first that say what was not said before. */
export function ShapeList(props: ShapeListProps) {
  const { answer, shapes, open, now, toggle } = props;
  const zone = useZone();
  const opened = useRef<HTMLLIElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is brought into sight when another one is opened
  useEffect(() => {
    // In braces: what it returns, a promise in some browsers, is no way to undo it.
    opened.current?.scrollIntoView({ block: 'nearest' });
  }, [open]);
  const most = Math.max(1, ...shapes.flatMap(({ series }) => series));
  const { shapesNotListed: rest } = answer;
  return (
    <ul className={styles.shapes} aria-label="Message shapes">
      {shapes.map((shape) => (
        <li key={shape.id} data-open={shape.id === open} data-state={shape.state} ref={shape.id === open ? opened : undefined}>
          <button type="button" className={styles.shape} aria-expanded={shape.id === open} onClick={() => toggle(shape.id)}>
            <span className={styles.state}>{stateWord(shape)}</span>
            <span className={styles.says}>
              <ShapeWords shape={shape} />
              <small>
                {shape.services.slice(0, 3).map((service) => (
                  <span key={service}>
                    <ServiceMark service={service} height={9} /> {service}{' '}
                  </span>
                ))}
                {shape.services.length > 3 && `and ${shape.services.length - 3} more `}· {shape.severity}
                {shape.state === 'new' && ` · first ${dayTime(shape.firstSeen, zone, now)}`}
                {(shape.state === 'more' || shape.state === 'fewer') &&
                  shape.times !== null &&
                  ` · ${shape.times >= 10 ? Math.round(shape.times) : shape.times.toFixed(1)} × as often`}
                {shape.coarse && ' · joined, there are too many shapes'}
              </small>
            </span>
            <Spark series={shape.series} before={shape.beforeSeries} most={Math.max(1, ...shape.series, most / 50)} />
            <span className={styles.counts}>
              <i>{formatCount(shape.before)}</i> → <em>{formatCount(shape.lit)}</em>
            </span>
          </button>
          {shape.id === open && <Opened {...props} shape={shape} />}
        </li>
      ))}
      {rest.shapes > 0 && (
        <li className={styles.rest}>
          {formatCount(rest.shapes)} more shapes, {formatCount(rest.before)} → {formatCount(rest.lit)} lines
        </li>
      )}
    </ul>
  );
}

/** The words of a shape; under each that varies, how its values spread. */
function ShapeWords({ shape: { pieces, holes } }: { shape: LogShape }) {
  return (
    <span className={styles.words}>
      {pieces.map((piece, at) => {
        // biome-ignore lint/suspicious/noArrayIndexKey: pieces are their places
        if (typeof piece === 'string') return <span key={at}>{harmless(shortened(piece, 160))}</span>;
        const hole = holes[piece.hole];
        const isConstant = hole.distinct === 1 && !hole.many;
        return (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: pieces are their places
            key={at}
            className={styles.hole}
            data-constant={isConstant}
            title={spreadWords(hole)}
          >
            {harmless(shortened(hole.top[0]?.value ?? '…', isConstant ? 40 : 24))}
            <Spread hole={hole} />
          </span>
        );
      })}
    </span>
  );
}

/** How values spread, as a line under a word: whole for one that never varies, a part for each of few, dots for many. */
function Spread({ hole: { top, distinct, many } }: { hole: LogShape['holes'][number] }) {
  const all = top.reduce((sum, { lit, before }) => sum + lit + before, 0);
  if (many || distinct > 12) return <span className={styles.spread} data-many="true" />;
  return (
    <span className={styles.spread}>
      {top.map(({ value, lit, before }) => (
        <i key={value} style={{ flexGrow: Math.max(0.02, (lit + before) / Math.max(1, all)) }} />
      ))}
    </span>
  );
}

function Spark({ series, before, most }: { series: readonly number[]; before: readonly number[]; most: number }) {
  const usual = before.length === 0 ? 0 : before.reduce((sum, it) => sum + it, 0) / before.length;
  const top = Math.max(most, usual);
  const step = 84 / series.length;
  return (
    <svg className={styles.spark} viewBox="0 0 84 20" aria-hidden="true">
      {series.map((count, at) =>
        count > 0 ? (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place in time
            key={at}
            x={at * step}
            width={Math.max(0.7, step - 0.5)}
            y={20 - (19 * count) / top}
            height={Math.max(1, (19 * count) / top)}
          />
        ) : null,
      )}
      {usual > 0 && <line x1={0} x2={84} y1={20 - (19 * usual) / top} y2={20 - (19 * usual) / top} />}
    </svg>
  );
}

/** What varies in the lines of a shape, and the lines as a table of it. */
function Opened(props: ShapeListProps & { readonly shape: LogShape }) {
  const { shape, shapes, scope, question, line, choose, only, drop, seek } = props;
  const [numbers, setNumbers] = useState<number | null>(null);
  const zone = useZone();
  const lines = useLogLines(scope, { ...question, shape: shape.id }, 'newest', true);
  const shown = lines.data?.pages[0]?.lines.slice(0, 12) ?? [];
  const varying = shape.holes.map((hole, at) => ({ hole, at })).filter(({ hole }) => hole.top.length > 0);
  return (
    <div className={styles.opened}>
      <div className={styles.varies}>
        {varying.slice(0, 5).map(({ hole, at }) => (
          <div key={at}>
            <h3>
              {nameOfHole(shape, at)} <span>{spreadWords(hole)}</span>
            </h3>
            {isOfNumbers(hole) && (
              <button
                type="button"
                className={styles.asNumbers}
                aria-pressed={numbers === at}
                onClick={() => setNumbers(numbers === at ? null : at)}
              >
                as numbers
              </button>
            )}
            {hole.top.slice(0, 4).map(({ value, lit, before }) => {
              const all = hole.top.reduce((sum, it) => sum + it.lit + it.before, 0);
              return (
                <button key={value} type="button" title="only lines with this" onClick={() => seek(value)}>
                  <i style={{ width: `${(100 * (lit + before)) / Math.max(1, all)}%` }} />
                  <span>{harmless(shortened(value, 26))}</span>
                  <span className="mono">{formatCount(lit)}</span>
                </button>
              );
            })}
          </div>
        ))}
      </div>
      {numbers !== null && (
        <Suspense fallback={<p className="dim">Adding up …</p>}>
          <HoleNumbers key={numbers} shape={shape} hole={numbers} scope={scope} question={question} />
        </Suspense>
      )}
      <p className={styles.acts}>
        <button type="button" onClick={() => only(shape.id)}>
          only this
        </button>
        <button type="button" onClick={() => drop(shape.id)}>
          not this <kbd>e</kbd>
        </button>
        <span className="dim">values are those of a sample; counts are of all lines</span>
      </p>
      <ShapeDecisions shape={shape} shapes={shapes} show={(id) => id !== shape.id && props.toggle(id)} />
      {lines.error && <p role="alert">{lines.error.message}</p>}
      <table className={styles.shapeLines}>
        <tbody>
          {shown.map((it) => (
            <tr key={it.id} data-chosen={it.id === line}>
              <th scope="row">
                <button type="button" onClick={() => choose(it)}>
                  {clockTimeExact(Date.parse(it.at), zone)}
                </button>
              </th>
              {varying.slice(0, 4).map(({ at }) => (
                <td key={at}>{harmless(shortened(it.values[at] ?? '', 26))}</td>
              ))}
              <td>{it.instance || it.service}</td>
              <td>{it.hasTrace ? 'trace' : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {lines.isFetching && shown.length === 0 && <p className="dim">Looking …</p>}
      {shape.lit > shown.length && shown.length > 0 && (
        <p className="dim">the newest of {formatCount(shape.lit)}; “only this” lists all as lines</p>
      )}
    </div>
  );
}
