import { scaleLinear, scaleUtc } from 'd3-scale';
import { area, line } from 'd3-shape';
import type { SeriesEvidence } from '../../core/casebook/evidence/evidence.ts';
import { valueText } from '../../core/casebook/evidence/valueText.ts';
import { clockTime, timeTicks } from '../../core/time/clock.ts';
import { colourOf, px, WIDTH } from './drawn.ts';

const HEIGHT = 84;
const FOOT = 14;
const TICKS = 5;

type Point = readonly [time: number, value: number | null];

/** Values over time: parts stacked, lines over them, a limit dashed. */
export function SeriesPicture({ evidence, zone }: { evidence: SeriesEvidence; zone: string }) {
  const { title, unit, from, stepMs, lines, lit } = evidence;
  const steps = Math.max(0, ...lines.map(({ values }) => values.length));
  if (steps === 0) return <p className="ev-note">Nothing was measured in this window.</p>;
  const to = from + steps * stepMs;
  const parts = lines.filter(({ role }) => role === 'part');
  const stacked = Array.from({ length: steps }, (_, at) => parts.reduce((sum, { values }) => sum + (values[at] ?? 0), 0));
  const highest = Math.max(
    ...stacked,
    ...lines.flatMap(({ role, values }) => (role === 'part' ? [] : values.map((it) => it ?? 0))),
  );
  const x = scaleUtc([from, to], [0, WIDTH]);
  const y = scaleLinear([0, highest > 0 ? highest * 1.1 : 1], [HEIGHT, 4]);
  const draw = line<Point>()
    .defined(([, value]) => value !== null)
    .x(([at]) => x(at))
    .y(([, value]) => y(value!))
    .digits(1);
  let under = Array.from({ length: steps }, () => 0);
  const layers = parts.map(({ name, values }) => {
    const below = under;
    under = below.map((sum, at) => sum + (values[at] ?? 0));
    const above = under;
    const layer = area<number>()
      .x((at) => x(from + at * stepMs))
      .y0((at) => y(below[at]))
      .y1((at) => y(above[at]))
      .digits(1);
    return <path key={name} d={layer(below.map((_, at) => at)) ?? ''} style={{ fill: colourOf('', name) }} />;
  });
  return (
    <>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT + FOOT}`} role="img" aria-label={`${title}, over time`}>
        {lit && (
          <rect
            x={px(x(lit.from))}
            width={px(Math.max(1, x(lit.to) - x(lit.from)))}
            y="0"
            height={HEIGHT}
            className="ev-window"
          />
        )}
        {layers}
        {lines
          .filter(({ role }) => role !== 'part')
          .map(({ name, role, values }) => (
            <path
              key={`${name} ${role}`}
              d={draw(values.map((value, at): Point => [from + at * stepMs, value])) ?? ''}
              className={`ev-line-${role}`}
            />
          ))}
        <line x1="0" x2={WIDTH} y1={HEIGHT} y2={HEIGHT} className="ev-axis" />
        <text x="0" y="10">
          {valueText(highest, unit, zone)}
        </text>
        {timeTicks(from, to, TICKS, zone).map((tick) => (
          <text key={tick} x={px(Math.max(16, Math.min(WIDTH - 16, x(tick))))} y={HEIGHT + 12} textAnchor="middle">
            {clockTime(tick, zone)}
          </text>
        ))}
      </svg>
      <p className="ev-note">
        {lines.map(({ name, role }) => (
          <span key={`${name} ${role}`} style={{ marginRight: 12, whiteSpace: 'nowrap' }}>
            <span
              className="ev-swatch"
              aria-hidden="true"
              style={{
                display: 'inline-block',
                marginRight: 5,
                background: role === 'part' ? colourOf('', name) : COLOURS[role],
              }}
            />
            {name}
          </span>
        ))}
      </p>
    </>
  );
}

const COLOURS = { lit: 'var(--lit)', before: 'var(--before)', limit: 'var(--failing)' } as const;
