import type { RibbonMarks } from '../../api/ribbon/ribbon.ts';
import type { CaseMark } from '../../core/casebook/caseContent.ts';
import { countWords } from '../../core/measures/amount.ts';
import type { LitWindow } from '../../core/scope/scope.ts';
import { clockRange, clockTime, dayOf } from '../../core/time/clock.ts';
import { useZone } from '../state/zone.ts';
import { TypedPopover } from '../typing/TypedPopover.tsx';
import styles from './Ribbon.module.css';

interface MarksProps {
  readonly marks: RibbonMarks | undefined;
  /** Moments that the open case marks. */
  readonly ofCase: readonly CaseMark[];
  readonly at: (time: number) => number;
  readonly width: number;
  readonly base: number;
}

/** Where the bracket of the before window begins, from the top. */
const BRACKET = 5;
/** A change nearer to the flag before it is in its list, not drawn. */
const CROWDED = 5;

/** The before window as a dashed bracket, incidents as lines along the foot, changes as flags, notes as slips of paper. */
export function Marks({ marks, ofCase, at, width, base }: MarksProps) {
  if (!marks) return null;
  const left = at(Date.parse(marks.before.from));
  const right = at(Date.parse(marks.before.to));
  let last = Number.NEGATIVE_INFINITY;
  const flags = [...marks.changes]
    .sort((a, b) => a.at - b.at)
    .filter((it) => {
      const x = at(it.at);
      if (x < 0 || x > width || x - last < CROWDED) return false;
      last = x;
      return true;
    });
  return (
    <g>
      <path className={styles.bracket} d={`M${left},${BRACKET + 7}V${BRACKET}H${Math.max(right, left + 2)}V${BRACKET + 7}`} />
      {marks.incidents.map((it) => (
        <line
          key={it.id}
          className={styles.trouble}
          x1={at(it.from)}
          x2={Math.max(at(it.to), at(it.from) + 2)}
          y1={base - 1}
          y2={base - 1}
        >
          <title>{it.title}</title>
        </line>
      ))}
      {ofCase
        .filter((it) => at(it.at) >= 0 && at(it.at) <= width)
        .map((it) => (
          <g key={it.id} className={styles.caseMark}>
            <path d={`M${at(it.at)},${base}V16`} />
            <circle cx={at(it.at)} cy={14} r={3.5} />
            <title>{`${it.text} (of the case)`}</title>
          </g>
        ))}
      {marks.notes
        .filter((it) => at(it.at) >= 0 && at(it.at) <= width)
        .map((it) => (
          <g key={it.id} className={styles.noteMark}>
            <path d={`M${at(it.at)},${base}V32`} />
            <path className={styles.paper} d={`M${at(it.at) - 4},24h5.5l2.5,2.5v7h-8z`} />
            <title>{it.by ? `${it.text} (${it.by})` : it.text}</title>
          </g>
        ))}
      {flags.map((it) => (
        <path key={`${it.at} ${it.title}`} className={styles.flag} d={`M${at(it.at)},${base}V22l6,3.5l-6,3.5`}>
          <title>{it.title}</title>
        </path>
      ))}
    </g>
  );
}

const LISTED = 60;

/** The same as a list, for those who do not see the flags or want more of them: each lights its time. */
export function MarkList({
  marks,
  onLit,
  now,
}: {
  marks: RibbonMarks | undefined;
  onLit: (lit: LitWindow) => void;
  now: number;
}) {
  const zone = useZone();
  if (!marks || marks.changes.length + marks.incidents.length === 0) return null;
  const about = (time: number): LitWindow => ({ type: 'fixed', from: time - 15 * 60_000, to: time + 15 * 60_000 });
  const when = (time: number) =>
    `${dayOf(time, zone) === dayOf(now, zone) ? '' : `${dayOf(time, zone)} `}${clockTime(time, zone)}`;
  const found = (typed: string) => {
    const sought = typed.toLowerCase();
    return marks.changes.find((it) => it.title.toLowerCase().includes(sought));
  };
  return (
    <div className={styles.list}>
      <TypedPopover
        button={`${countWords(marks.changes.length, 'change')} · ${countWords(marks.incidents.length, 'incident')}`}
        label="Light the time about"
        placeholder="berths 4.7.0"
        wide
        take={(typed) => {
          const it = found(typed);
          if (!it) return 'No change has this in its text';
          onLit(about(it.at));
        }}
        below={(close) => (
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
          <div className={styles.listed} tabIndex={0} role="group" aria-label="Incidents and changes">
            {marks.incidents.map((it) => (
              <button
                key={`i${it.id}`}
                type="button"
                data-incident
                onClick={() => {
                  onLit({ type: 'fixed', from: it.from - 5 * 60_000, to: it.to });
                  close();
                }}
              >
                <span className="mono dim">{clockRange(it.from, it.to, zone, now)}</span> {it.title}
              </button>
            ))}
            {marks.changes.slice(0, LISTED).map((it) => (
              <button
                key={`${it.at} ${it.title}`}
                type="button"
                onClick={() => {
                  onLit(about(it.at));
                  close();
                }}
              >
                <span className="mono dim">{when(it.at)}</span> {it.title}
                {it.phase === 'begin' ? ' began' : it.phase === 'end' ? ' ended' : ''}
              </button>
            ))}
          </div>
        )}
      />
    </div>
  );
}
