import { useElementSize, useMergedRef } from '@mantine/hooks';
import { max } from 'd3-array';
import { type PointerEvent, useEffect, useId, useMemo, useRef, useState } from 'react';
import type { LineSeries } from '../../api/logs/series.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { RibbonMarks } from '../../api/ribbon/ribbon.ts';
import type { BeforeWindow } from '../../core/scope/before.ts';
import { type LitWindow, windowAt } from '../../core/scope/scope.ts';
import { clockRange, clockTime, dayOf, timeTicks } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { useCaseMarks } from '../casebook/useCaseMarks.ts';
import { useZone } from '../state/zone.ts';
import { BeforeMenu } from './BeforeMenu.tsx';
import { beforePlace, daysWide, dragged, type Grip, gripAt, type Stretch, timeAt, wordsPlace, xAt, zoomed } from './geometry.ts';
import { LineStrips } from './LineStrips.tsx';
import { lineWords } from './lineGroups.ts';
import { MarkList, Marks } from './Marks.tsx';
import { NoteMenu } from './NoteMenu.tsx';
import styles from './Ribbon.module.css';
import { WindowMenu } from './WindowMenu.tsx';

/** Pixels of the ribbon that the curve may fill; below it the times stand. */
const TOP = 14;
const BASE = 58;
/** A press that moves less than this is a click. */
const CLICK = 4;
/** Pixels that the window in words takes beside it. */
const WORDS = 250;
/** Pixels that the before window in words takes. */
const BEFORE_WORDS_WIDE = 200;
/** Pixels that a time in words takes, and a day. */
const TIME_WORDS_WIDE = 34;
const DAY_WORDS_WIDE = 66;

type Bucket = RequestSeries['buckets'][number];
const MEASURES = {
  // The square root: a small trouble stays in sight beside a great one.
  harm: { name: 'harm', value: (it: Bucket) => Math.sqrt(it.harmNs) },
  rate: { name: 'rate', value: (it: Bucket) => it.count },
  failing: { name: 'failing', value: (it: Bucket) => it.failed },
  p95: { name: 'p95', value: (it: Bucket) => it.p95Ns },
} as const;
type Measure = keyof typeof MEASURES | 'lines';

interface RibbonProps {
  readonly series: RequestSeries | undefined;
  readonly failure: Error | null;
  readonly lit: LitWindow;
  readonly before: BeforeWindow;
  readonly marks: RibbonMarks | undefined;
  /** Lines over time, on a page that is about lines. */
  readonly lines?: LineSeries;
  /** Epoch milliseconds when the server drew the page. */
  readonly now: number;
  readonly onLit: (lit: LitWindow) => void;
  readonly onBefore: (before: BeforeWindow) => void;
}

/** All kept time as a band, with the lit window on it: drag it, pull an edge, draw another, double-click, wheel, or use the arrows. */
export function Ribbon({ series, failure, lit, before, marks, lines, now: drawnAt, onLit, onBefore }: RibbonProps) {
  const zone = useZone();
  const caseMarks = useCaseMarks();
  const clip = useId();
  const { ref: sized, width: measured } = useElementSize<HTMLDivElement>();
  const surface = useRef<HTMLDivElement>(null);
  const ref = useMergedRef(sized, surface);
  const width = measured || 1060;
  const [now, setNow] = useState(drawnAt);
  const [picked, setMeasure] = useState<Measure>();
  const measure = picked === 'lines' && !lines ? 'harm' : (picked ?? (lines ? 'lines' : 'harm'));
  const [zoom, setZoom] = useState<Stretch>();
  const [draft, setDraft] = useState<Stretch>();
  const [hover, setHover] = useState<number>();
  const press = useRef<{ grip: Grip; x: number; at: number }>(undefined);

  // The clock goes on: a window that follows it moves along.
  useEffect(() => {
    const tick = setInterval(() => setNow(Date.now()), 15_000);
    return () => clearInterval(tick);
  }, []);

  const window = draft ?? windowAt(lit, now);
  const whole = useMemo(() => wholeStretch(series, lines, windowAt(lit, now)), [series, lines, lit, now]);
  const view = zoom ?? whole;
  const { value } = MEASURES[measure === 'lines' ? 'rate' : measure];
  const curve = useMemo(() => (series ? stepCurve(series, value, view, width) : ''), [series, value, view, width]);
  const ticks = useMemo(
    () =>
      timeTicks(view.from, view.to, Math.max(2, Math.floor(width / 130)), zone)
        .map((at) => ({ at, x: xAt(at, view, width), ...tickWords(at, zone) }))
        .filter(({ x, wide }) => x < width - wide),
    [view, width, zone],
  );

  useEffect(() => {
    const element = surface.current;
    if (!element) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const about = timeAt(event.offsetX, view, width);
      const next = zoomed(view, whole, about, event.deltaY > 0 ? 1.25 : 0.8);
      setZoom(next.to - next.from >= whole.to - whole.from ? undefined : next);
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  }, [view, whole, width]);

  const xOf = (event: PointerEvent | React.MouseEvent) => event.clientX - event.currentTarget.getBoundingClientRect().left;
  const settle = (next: Stretch) => onLit({ type: 'fixed', from: Math.round(next.from), to: Math.round(next.to) });

  const down = (event: PointerEvent) => {
    if (event.button !== 0 || !(series?.kept || lines?.buckets.length)) return;
    const x = xOf(event);
    press.current = { grip: gripAt(x, window, view, width), x, at: timeAt(x, view, width) };
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const move = (event: PointerEvent) => {
    const x = xOf(event);
    setHover(x);
    const held = press.current;
    if (held && (draft || Math.abs(x - held.x) >= CLICK))
      setDraft(dragged(held.grip, windowAt(lit, now), held.at, timeAt(x, view, width)));
  };
  const up = () => {
    press.current = undefined;
    if (draft) settle(draft);
    setDraft(undefined);
  };
  const nudge = (grip: Grip, event: React.KeyboardEvent) => {
    const direction = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0;
    if (direction === 0) return;
    event.preventDefault();
    // The page's own keys use the arrows too.
    event.stopPropagation();
    const step = event.shiftKey ? (window.to - window.from) / 2 : (series?.stepMs ?? 60_000);
    settle(dragged(grip, window, 0, direction * step));
  };

  const left = xAt(window.from, view, width);
  const right = xAt(window.to, view, width);
  const words = clockRange(window.from, window.to, zone, now);
  const beforeRange = marks && clockRange(Date.parse(marks.before.from), Date.parse(marks.before.to), zone, now);
  const pointed = hover === undefined || draft ? undefined : timeAt(hover, view, width);
  const read = pointed === undefined ? undefined : bucketAt(series, pointed);
  return (
    <section className={styles.ribbon} aria-label="Time">
      <div className={styles.controls}>
        <MarkList marks={marks} onLit={onLit} now={now} />
        <NoteMenu notes={marks?.notes ?? []} onLit={onLit} now={now} />
        <fieldset className={styles.measures} data-lines={lines !== undefined}>
          <legend className="unseen">What the band shows</legend>
          {lines && (
            <button type="button" aria-pressed={measure === 'lines'} onClick={() => setMeasure('lines')}>
              lines
            </button>
          )}
          {(Object.keys(MEASURES) as (keyof typeof MEASURES)[]).map((name) => (
            <button key={name} type="button" aria-pressed={measure === name} onClick={() => setMeasure(name)}>
              {MEASURES[name].name}
            </button>
          ))}
          {zoom && (
            <button type="button" onClick={() => setZoom(undefined)}>
              whole
            </button>
          )}
        </fieldset>
      </div>
      <div className={styles.band}>
        {/* biome-ignore lint/a11y/noStaticElementInteractions: the sliders inside take the keyboard */}
        <div
          ref={ref}
          className={styles.surface}
          data-grip={press.current?.grip}
          onPointerDown={down}
          onPointerMove={move}
          onPointerUp={up}
          onPointerCancel={up}
          onPointerLeave={() => setHover(undefined)}
          onDoubleClick={(event) => {
            const at = timeAt(xOf(event), view, width);
            const half = (window.to - window.from) / 2;
            settle({ from: at - half, to: at + half });
          }}
        >
          <svg width={width} height={76} role="img" aria-label={`Requests over time, lit ${words}`}>
            <clipPath id={clip}>
              <rect x={left} y={0} width={Math.max(1, right - left)} height={BASE} />
            </clipPath>
            {measure !== 'lines' && <path d={curve} className={styles.curve} />}
            <rect x={left} y={0} width={Math.max(1, right - left)} height={BASE} className={styles.glow} />
            {measure === 'lines' && lines ? (
              <LineStrips series={lines} x={(time) => xAt(time, view, width)} width={width} top={TOP} base={BASE} clip={clip} />
            ) : (
              <path d={curve} className={styles.litCurve} clipPath={`url(#${clip})`} />
            )}
            <line x1={0} x2={width} y1={BASE + 0.5} y2={BASE + 0.5} className={styles.base} />
            {ticks.map(({ at, x, words: told }) => (
              <g key={at} transform={`translate(${x},${BASE})`}>
                <line y2={4} className={styles.base} />
                <text x={4} y={14} className={styles.tick}>
                  {told}
                </text>
              </g>
            ))}
            <Marks
              marks={draft ? undefined : marks}
              ofCase={caseMarks}
              at={(time) => xAt(time, view, width)}
              width={width}
              base={BASE}
            />
            {hover !== undefined && <line x1={hover} x2={hover} y1={0} y2={BASE} className={styles.hair} />}
          </svg>
          {(['from', 'to'] as const).map((edge) => (
            <div
              key={edge}
              role="slider"
              tabIndex={0}
              className={styles.handle}
              style={{ left: edge === 'from' ? left : right }}
              aria-label={edge === 'from' ? 'Start of the lit window' : 'End of the lit window'}
              aria-valuenow={Math.round(window[edge] / 1000)}
              aria-valuemin={Math.round(whole.from / 1000)}
              aria-valuemax={Math.round(whole.to / 1000)}
              aria-valuetext={clockTime(window[edge], zone, true)}
              onKeyDown={(event) => nudge(edge, event)}
            />
          ))}
          <div
            role="slider"
            tabIndex={0}
            className={styles.body}
            style={{ left: left + 6, width: Math.max(0, right - left - 12) }}
            aria-label="Lit window"
            aria-valuenow={Math.round(window.from / 1000)}
            aria-valuemin={Math.round(whole.from / 1000)}
            aria-valuemax={Math.round(whole.to / 1000)}
            aria-valuetext={words}
            onKeyDown={(event) => nudge('move', event)}
          />
        </div>
        <WindowMenu
          words={words}
          length={formatDuration((window.to - window.from) * 1e6)}
          follows={lit.type === 'last' && !draft}
          near={wordsPlace(left, right, width, WORDS + daysWide(words))}
          onLit={onLit}
        />
        <BeforeMenu
          before={before}
          range={beforeRange}
          near={beforePlace(
            marks && xAt(Date.parse(marks.before.from), view, width),
            [left, right + WORDS],
            width,
            BEFORE_WORDS_WIDE + (beforeRange ? daysWide(beforeRange) : 0),
          )}
          onBefore={onBefore}
        />
        <output className={styles.reading}>
          {pointed !== undefined && measure === 'lines' && lines
            ? `${clockTime(pointed, zone)} · ${lineWords(lines, pointed)}`
            : read
              ? `${clockTime(read.at, zone)} · ${perMinute(read, series)}/min · ${read.failed} failing · p95 ${formatDuration(read.p95Ns)} · harm ${formatDuration(read.harmNs)}`
              : ''}
        </output>
        {failure && !series && <p className={styles.word}>{failure.message}</p>}
        {series && !series.kept && !lines?.buckets.length && <p className={styles.word}>Nothing stored yet.</p>}
      </div>
    </section>
  );
}

/** What a tick says, a day where one begins, and how many pixels that takes. */
function tickWords(at: number, zone: string): { words: string; wide: number } {
  const time = clockTime(at, zone);
  return time === '00:00' ? { words: dayOf(at, zone), wide: DAY_WORDS_WIDE } : { words: time, wide: TIME_WORDS_WIDE };
}

function wholeStretch(series: RequestSeries | undefined, lines: LineSeries | undefined, window: Stretch): Stretch {
  const ends = [
    ...(series?.kept ? [Date.parse(series.kept.from), Date.parse(series.kept.to) + series.stepMs] : []),
    ...(lines && lines.buckets.length > 0
      ? [lines.buckets[0].at, lines.buckets[lines.buckets.length - 1].at + lines.stepMs]
      : []),
  ];
  if (ends.length === 0) return { from: window.from - 30 * 60_000, to: window.to + 30 * 60_000 };
  const from = Math.min(...ends, window.from);
  const to = Math.max(...ends, window.to);
  // A little air, so that edges at the ends can be taken hold of.
  const air = (to - from) * 0.01;
  return { from: from - air, to: to + air };
}

/** The area under the steps of the buckets, as an SVG path. */
function stepCurve(series: RequestSeries, value: (it: Bucket) => number, view: Stretch, width: number): string {
  const seen = series.buckets.filter((it) => it.at + series.stepMs > view.from && it.at < view.to);
  const most = max(seen, value) || 1;
  return seen
    .map((it) => {
      const x0 = xAt(it.at, view, width).toFixed(1);
      const x1 = xAt(it.at + series.stepMs, view, width).toFixed(1);
      const y = (BASE - (value(it) / most) * (BASE - TOP)).toFixed(1);
      return `M${x0},${BASE}V${y}H${x1}V${BASE}Z`;
    })
    .join('');
}

function bucketAt(series: RequestSeries | undefined, time: number): Bucket | undefined {
  return series?.buckets.find((it) => time >= it.at && time < it.at + series.stepMs);
}

function perMinute({ count }: Bucket, series: RequestSeries | undefined): string {
  const rate = count / ((series?.stepMs ?? 60_000) / 60_000);
  return rate >= 10 ? rate.toFixed(0) : rate.toFixed(1);
}
