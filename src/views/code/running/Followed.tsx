import type { RunningRequest } from '../../../api/code/request.ts';
import { WAIT_COLOURS, WAIT_WORDS } from '../../../core/profile/runningWords.ts';
import { middleName, shortName } from '../../../core/profile/words.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { formatDuration, shortDuration } from '../../../core/time/duration.ts';
import { ServiceMark } from '../../../ui/list/ServiceMark.tsx';
import { useZone } from '../../../ui/state/zone.ts';
import styles from './Running.module.css';

type Look = RunningRequest['looks'][number];
type Frame = Look['frames'][number];

/** A stretch of looks in a row that saw the same. */
interface Stretch {
  readonly frame: Frame;
  readonly from: number;
  to: number;
  looks: number;
  readonly wait: string;
}

const MOST_SPANS = 6;

/** One request on the axis of its age: every look at it, where it stood, its trace so far; and when it has ended, how. */
export function Followed({ request: it }: { request: RunningRequest }) {
  const zone = useZone();
  const { request, looks, ended, state, spans } = it;
  const began = request.seenAt - lastAge(it);
  const end = ended ? ended.ageMs : request.ageMs;
  const axisEnd = Math.max(1_000, end * 1.7);
  const x = (ms: number) => `${(100 * Math.min(Math.max(ms, 0), axisEnd)) / axisEnd}%`;
  const stretches = stretchesOf(looks);
  const last = looks.at(-1);
  const own = last?.frames.findIndex((frame) => frame.own) ?? -1;
  const callers = last && own >= 0 ? last.frames.slice(own + 1).filter((frame) => frame.own) : [];
  const outer = last && own >= 0 ? last.frames.slice(own + 1).length - callers.length : 0;
  const streak = stretches.at(-1);
  const ticks = ticksOf(axisEnd);
  const shownSpans = spans
    .filter((span) => span.end >= began - 1_000)
    .sort((a, b) => b.end - b.start - (a.end - a.start))
    .slice(0, MOST_SPANS)
    .sort((a, b) => a.start - b.start);
  return (
    <div className={styles.followed}>
      <div className={styles.ageTicks}>
        <span className="dim">
          {looks.length} {looks.length === 1 ? 'look' : 'looks'}
        </span>
        <span className={styles.track}>
          {ticks.map((ms) => (
            <i key={ms} style={{ left: x(ms) }}>
              {ms === 0 ? 'age 0' : shortDuration(ms * 1e6)}
            </i>
          ))}
        </span>
      </div>
      <Lane name={outer > 0 ? `server, ${outer} library ${outer === 1 ? 'frame' : 'frames'}` : 'looks'}>
        {looks.map((look) => (
          <i
            key={look.at}
            className={styles.look}
            data-asked={look.asked}
            data-last={look === last}
            style={{ left: x(look.ageMs) }}
            title={`${clockTime(look.at, zone, true)}${look.asked ? ', asked for' : ''}`}
          />
        ))}
      </Lane>
      {callers
        .slice(-2)
        .reverse()
        .map((frame) => (
          <Lane key={`${frame.name} ${frame.line}`} name="own code">
            <span className={styles.caller} style={{ left: 0, width: x(end) }}>
              {middleName(frame.name)} <i>:{frame.line}</i>
            </span>
          </Lane>
        ))}
      <Lane name="first line of own code" strong>
        {stretches.map((stretch) => (
          <span
            key={stretch.from}
            className={styles.stand}
            data-last={stretch === streak}
            style={{ left: x(stretch.from), width: `calc(${x(stretch === streak ? end : stretch.to)} - ${x(stretch.from)})` }}
            title={`${stretch.frame.name}:${stretch.frame.line}, ${stretch.looks} looks`}
          >
            {shortName(stretch.frame.name)}:{stretch.frame.line}{' '}
            {stretch === streak && stretch.looks > 1 && `in ${stretch.looks} looks of ${looks.length}`}
          </span>
        ))}
        {state !== 'ended' && streak && streak.looks > 1 && request.since !== null && (
          <span className={styles.streak} style={{ left: `calc(${x(end)} + 12px)` }}>
            on the same line since {formatDuration(Math.max(0, request.ageMs - (request.since - began)) * 1e6)}
          </span>
        )}
        {stretches.length === 0 && (
          <span className="dim">
            {looks.length === 0 ? 'no look yet' : `no own code: ${WAIT_WORDS[request.wait] ?? request.wait}`}
          </span>
        )}
      </Lane>
      {own > 0 && (
        <Lane name={`below, ${own} library ${own === 1 ? 'frame' : 'frames'}`}>
          <span className={styles.below} style={{ width: x(end) }}>
            {last!.frames
              .slice(0, own)
              .map((frame) => shortName(frame.name))
              .join(' ← ')}
          </span>
        </Lane>
      )}
      <p className={styles.soFar}>Its trace so far</p>
      {shownSpans.map((span) => (
        <Lane key={`${span.name} ${span.start}`} name={`${span.service} ${span.name}`} mark={span.service}>
          <span
            className={styles.span}
            style={{
              left: x(span.start - began),
              width: `max(2px, calc(${x(span.end - began)} - ${x(span.start - began)}))`,
              background: span.failed ? 'var(--failing)' : `var(${/acquire/.test(span.name) ? '--t-pool' : '--t-db'})`,
            }}
          />
          <span className={styles.spanTime} style={{ left: `calc(${x(span.end - began)} + 6px)` }}>
            {formatDuration((span.end - span.start) * 1e6)}
          </span>
        </Lane>
      ))}
      <Lane name={`${request.service} ${request.step}`} mark={request.service}>
        <span
          className={styles.span}
          data-open={state !== 'ended'}
          style={{ left: 0, width: x(end), background: `var(${WAIT_COLOURS[request.wait] ?? '--t-gap'})` }}
        />
        {state === 'ended' && ended ? (
          <span className={styles.ended} data-failed={ended.failed} style={{ left: `calc(${x(end)} + 6px)` }}>
            <b>ended</b> after {formatDuration(ended.ageMs * 1e6)}:{' '}
            {ended.failed ? `failed, ${ended.outcome}` : `went well${ended.outcome ? `, ${ended.outcome}` : ''}`}
          </span>
        ) : (
          <span className={styles.spanTime} style={{ left: `calc(${x(end)} + 6px)` }}>
            {state === 'unknown'
              ? `nothing heard of it since ${clockTime(request.seenAt, zone, true)}`
              : `open, ${WAIT_WORDS[request.wait] ?? request.wait}`}
          </span>
        )}
      </Lane>
    </div>
  );
}

function lastAge({ looks, request }: RunningRequest): number {
  return looks.at(-1)?.ageMs ?? request.ageMs;
}

function Lane({
  name,
  children,
  strong = false,
  mark,
}: {
  name: string;
  children: React.ReactNode;
  strong?: boolean;
  mark?: string;
}) {
  return (
    <div className={styles.lane} data-strong={strong}>
      <span className={styles.laneName} title={name}>
        {mark && <ServiceMark service={mark} height={11} />} {name}
      </span>
      <span className={styles.track}>{children}</span>
    </div>
  );
}

function stretchesOf(looks: readonly Look[]): Stretch[] {
  const found: Stretch[] = [];
  for (const look of looks) {
    const frame = look.frames.find((it) => it.own);
    if (!frame) continue;
    const last = found.at(-1);
    if (last && last.frame.name === frame.name && last.frame.line === frame.line) {
      last.to = look.ageMs;
      last.looks++;
    } else found.push({ frame, from: look.ageMs, to: look.ageMs, looks: 1, wait: look.wait });
  }
  // A stretch lasts up to the look that saw something else.
  for (const [at, stretch] of found.entries()) if (found[at + 1]) stretch.to = found[at + 1].from;
  return found;
}

function ticksOf(end: number): number[] {
  const steps = [100, 200, 500, 1_000, 2_000, 5_000, 10_000, 20_000, 60_000, 120_000, 300_000, 600_000, 3_600_000];
  const step = steps.find((ms) => end / ms <= 6) ?? Math.ceil(end / 6 / 3_600_000) * 3_600_000;
  return Array.from({ length: Math.floor(end / step) + 1 }, (_, at) => at * step);
}
