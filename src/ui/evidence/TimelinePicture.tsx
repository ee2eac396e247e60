import type { TimelineEvidence } from '../../core/casebook/evidence/evidence.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { px, serviceOf, WIDTH } from './drawn.ts';

const ROW = 15;
const NAMES = 170;
const INDENT = 7;
const DEEPEST = 12;
/** Rows that are drawn; the table has all. */
const MOST = 40;

/** Spans of a trace with the critical path as one gold line through the rows. */
export function TimelinePicture({ evidence: { title, durationNs, spans } }: { evidence: TimelineEvidence }) {
  const shown = spans.slice(0, MOST);
  const x = (ns: number) => NAMES + (Math.max(0, Math.min(durationNs, ns)) / Math.max(1, durationNs)) * (WIDTH - NAMES);
  const path = shown
    .flatMap((span, row) => span.path.map(([from, to]) => ({ from, to, row })))
    .sort((a, b) => a.from - b.from)
    .map(({ from, to, row }, at) => `${at === 0 ? 'M' : 'L'}${px(x(from))},${row * ROW + 12}H${px(x(to))}`)
    .join('');
  return (
    <>
      <svg
        viewBox={`0 0 ${WIDTH} ${shown.length * ROW + 4}`}
        role="img"
        aria-label={`${title}: ${shown.length} spans of ${formatDuration(durationNs)}`}
      >
        {shown.map((span, row) => {
          const width = Math.max(1, x(span.startNs + span.durationNs) - x(span.startNs));
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: the rows are frozen
            <g key={row}>
              <text x={px(Math.min(span.depth, DEEPEST) * INDENT)} y={row * ROW + 11}>
                {cut(`${span.service} ${span.name}`, 30 - Math.min(span.depth, DEEPEST))}
              </text>
              <rect
                x={px(x(span.startNs))}
                y={row * ROW + 4}
                width={px(width)}
                height="7"
                rx="1"
                style={{ fill: serviceOf(span.service) }}
                opacity="0.7"
              />
              {span.failed && (
                <rect x={px(x(span.startNs))} y={row * ROW + 3} width="3" height="9" style={{ fill: 'var(--failing)' }} />
              )}
            </g>
          );
        })}
        {path !== '' && <path d={path} className="ev-line-lit" strokeLinejoin="round" />}
      </svg>
      {spans.length > MOST && <p className="ev-note">{spans.length - MOST} more spans are in the table.</p>}
    </>
  );
}

function cut(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}
