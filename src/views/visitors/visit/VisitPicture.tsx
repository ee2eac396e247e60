import type { OneVisit } from '../../../api/visitors/visit.ts';
import type { StoryLine } from '../../../core/visits/story.ts';
import { ms } from '../../../core/visits/words.ts';
import { SignGlyph } from '../SignGlyph.tsx';
import { downScale } from './downScale.ts';
import styles from './Visit.module.css';

interface VisitPictureProps {
  readonly visit: OneVisit;
  readonly story: readonly StoryLine[];
  readonly at: number;
  readonly choose: (line: number) => void;
}

const LANES = { hand: 332, screen: 362, browser: 470, wire: 520, company: 676 } as const;
const WIDTH = 872;
const TOP = 20;
/** A visit is drawn about so high, as far as its texts let it. */
const WANTED = 900;
const MOST_PX_PER_MS = 0.12;

/** Downwards through lanes, hand, screen, browser, wire, company: what happened when, and the thread of who held the visitor up. */
export function VisitPicture({ visit, story, at, choose }: VisitPictureProps) {
  const end = Math.max(1, visit.to - visit.from);
  const quiet = visit.held
    .filter(({ kind, party }) => kind === 'visitor' || (kind === 'nothing' && party === 'after the error'))
    .map(({ from, to }) => ({ from: from / 1_000, to: to / 1_000 }));
  const busy = Math.max(500, end - quiet.reduce((sum, { from, to }) => sum + Math.max(0, to - from - 3_000), 0));
  const scale = downScale(
    story.map(({ atMs }) => Math.max(0, atMs - visit.from)),
    quiet,
    end,
    Math.min(MOST_PX_PER_MS, WANTED / busy),
    34,
  );
  const y = (epochMs: number) => TOP + scale.at(Math.max(0, epochMs - visit.from));
  const height = TOP + scale.height + 12;
  return (
    <div className={styles.picture} style={{ height }}>
      <ol className={styles.story}>
        {story.map((line, place) => (
          <li key={`${line.kind} ${line.atMs} ${line.name}`} style={{ top: y(line.atMs) - 8 }} data-chosen={place === at}>
            <button type="button" onClick={() => choose(place)} aria-pressed={place === at}>
              {line.sign && <SignGlyph sign={line.sign} />}
              <span>
                {line.lead && <b>{line.lead}</b>} {line.rest}
              </span>
            </button>
          </li>
        ))}
      </ol>
      <svg
        width={WIDTH}
        height={height}
        className={styles.lanes}
        role="img"
        aria-label="The visit by lane; the list beside it says the same in words"
      >
        {Object.entries(LANES).map(([name, x]) => (
          <g key={name}>
            <text x={x} y={12} className={styles.mark}>
              {name}
            </text>
            <line x1={x} x2={x} y1={TOP} y2={height} stroke="var(--line-soft)" />
          </g>
        ))}
        {scale.stretches
          .filter(({ isFolded }) => isFolded)
          .map((it) => (
            <g key={it.from}>
              <path
                d={`M${LANES.hand - 10} ${TOP + it.y + it.height / 2}H${WIDTH}`}
                stroke="var(--text-3)"
                strokeDasharray="1 5"
              />
              <text x={LANES.wire} y={TOP + it.y + it.height / 2 - 3} className={styles.mark}>
                {ms(it.to - it.from)} folded:{' '}
                {visit.held.some((held) => held.kind === 'nothing' && held.from / 1_000 <= it.from && held.to / 1_000 >= it.to)
                  ? 'nothing comes'
                  : 'the visitor reads'}
              </text>
            </g>
          ))}
        <Screens visit={visit} y={y} />
        <Loads visit={visit} y={y} />
        <Answers visit={visit} y={y} />
        <Hand visit={visit} y={y} />
        <Thread visit={visit} y={y} />
      </svg>
    </div>
  );
}

interface Drawn {
  readonly visit: OneVisit;
  readonly y: (epochMs: number) => number;
}

/** What is on the screen: hatched until the page is ready. */
function Screens({ visit, y }: Drawn) {
  return (
    <>
      <defs>
        <pattern id="notReady" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" fill="var(--surface)" />
          <rect width="2" height="5" fill="var(--strained)" opacity="0.75" />
        </pattern>
      </defs>
      {visit.views.map((view, at) => {
        const [from, ready] = [y(view.at), y(view.at + (view.readyMs ?? 0))];
        const to = y(visit.views[at + 1]?.at ?? visit.to);
        return (
          <g key={view.at}>
            <rect x={LANES.screen} y={from} width={7} height={Math.max(1, ready - from)} fill="url(#notReady)" />
            <rect x={LANES.screen} y={ready} width={7} height={Math.max(1, to - ready)} fill="var(--calm)" />
            <rect x={LANES.screen + 14} y={ready + 1} width={66} height={26} rx={3} fill="var(--surface)" stroke="var(--line)" />
            <text x={LANES.screen + 19} y={ready + 17} className={styles.small}>
              {view.page.length > 11 ? `${view.page.slice(0, 10)}…` : view.page}
            </text>
          </g>
        );
      })}
    </>
  );
}

/** Parts of each load: the browser's in its lane, the rest on the wire. */
function Loads({ visit, y }: Drawn) {
  return (
    <>
      {visit.views.flatMap((view) =>
        view.parts.map((part) => {
          const [from, to] = [y(view.at + part.from / 1_000), y(view.at + part.to / 1_000)];
          const isBrowser = part.phase === 'browser';
          const tall = to - from > 12;
          return (
            <g key={`${view.at} ${part.from}`}>
              <rect
                x={isBrowser ? LANES.browser - 5 : LANES.wire - 5}
                y={from}
                width={part.phase === 'third' ? 15 : 10}
                height={Math.max(1, to - from)}
                fill={`var(--p-${part.phase})`}
              >
                <title>{`${part.phase} ${part.party || part.name}: ${ms((part.to - part.from) / 1_000)}`}</title>
              </rect>
              {tall && part.phase === 'third' && (
                <text x={LANES.wire + 16} y={(from + to) / 2 + 3} className={styles.small}>
                  {part.name.split('?')[0].split('/').at(-1)} <tspan className="mono">{ms((part.to - part.from) / 1_000)}</tspan>
                </text>
              )}
            </g>
          );
        }),
      )}
    </>
  );
}

/** Answers of the company, opened into where their time went. */
function Answers({ visit, y }: Drawn) {
  return (
    <>
      {visit.events
        .filter((it) => it.kind === 'action' && (it.durationMs ?? 0) > 0)
        .map((it) => {
          const [from, to] = [y(it.at), y(it.at + it.durationMs!)];
          const known = visit.answers.find((of) => of.traceId === it.traceId);
          const total = known?.ledger.reduce((sum, { ns }) => sum + ns, 0) ?? 0;
          let at = from;
          return (
            <g key={`${it.at} ${it.name}`}>
              <rect x={LANES.wire - 5} y={from} width={10} height={Math.max(1, to - from)} fill="var(--p-answer)" />
              {known && (
                <path
                  d={`M${LANES.wire + 6} ${from}L${LANES.company - 6} ${from}V${to}L${LANES.wire + 6} ${to}Z`}
                  fill="var(--p-answer)"
                  opacity={0.08}
                />
              )}
              {known?.ledger.map(({ party, kind, ns }) => {
                const height = ((to - from) * ns) / (total || 1);
                const top = at;
                at += height;
                return (
                  <rect
                    key={`${party} ${kind}`}
                    x={LANES.company - 5}
                    y={top}
                    width={12}
                    height={Math.max(0.5, height)}
                    fill={`var(--t-${kind})`}
                  >
                    <title>{`${party}, ${kind}: ${ms(ns / 1e6)}`}</title>
                  </rect>
                );
              })}
              <text x={known ? LANES.company + 14 : LANES.wire + 16} y={from + 9} className={styles.small}>
                {known?.operation ?? it.name} <tspan className="mono">{ms(it.durationMs)}</tspan>
              </text>
              {known?.ledger[0] && to - from > 26 && (
                <text x={LANES.company + 14} y={from + 22} className={styles.mark}>
                  most in {known.ledger[0].party}: {ms(known.ledger[0].ns / 1e6)}
                </text>
              )}
            </g>
          );
        })}
    </>
  );
}

/** Presses: a full dot has an effect, a dotted ring has none; errors are crossed squares. */
function Hand({ visit, y }: Drawn) {
  return (
    <>
      {visit.events.map((it) => {
        if (it.kind === 'action') {
          const isDead = it.detail.effect === 'none' || it.detail.effect === false;
          return (
            <circle
              key={`${it.at} ${it.name}`}
              cx={LANES.hand}
              cy={y(it.at)}
              r={4.6}
              fill={isDead ? 'none' : 'var(--text)'}
              stroke={isDead ? 'var(--strained)' : 'none'}
              strokeWidth={1.6}
              strokeDasharray={isDead ? '2 2' : undefined}
            >
              <title>{it.name}</title>
            </circle>
          );
        }
        if (it.kind === 'error' || it.kind === 'crash')
          return (
            <g key={`${it.at} ${it.name}`} transform={`translate(${LANES.hand - 6} ${y(it.at) - 6})`}>
              <rect width={12} height={12} rx={1.5} fill="var(--failing)" />
              <path d="M3 3l6 6m0-6l-6 6" stroke="var(--ground)" strokeWidth={1.7} />
              <text x={LANES.browser - LANES.hand + 8} y={10} className={styles.fault}>
                {it.name.slice(0, 60)}
              </text>
            </g>
          );
        return null;
      })}
    </>
  );
}

const LANE_OF: Readonly<Record<string, number>> = {
  visitor: LANES.hand,
  nothing: LANES.hand,
  browser: LANES.browser,
  third: LANES.wire,
  network: LANES.wire,
  download: LANES.wire,
  server: LANES.company,
  answer: LANES.company,
};

/** The gold thread: where the time is spent, lane by lane; broken where nothing came. */
function Thread({ visit, y }: Drawn) {
  let last: number | undefined;
  return (
    <>
      {visit.held.map(({ kind, from, to }) => {
        const x = LANE_OF[kind];
        const [top, bottom] = [y(visit.from + from / 1_000), y(visit.from + to / 1_000)];
        const path = `${last === undefined ? `M${x} ${top}` : `M${last} ${top}H${x}`}V${bottom}`;
        last = x;
        return <path key={from} d={path} className={kind === 'nothing' ? styles.broken : styles.thread} />;
      })}
    </>
  );
}
