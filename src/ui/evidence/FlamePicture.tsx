import type { FlameEvidence } from '../../core/casebook/evidence/evidence.ts';
import { valueText } from '../../core/casebook/evidence/valueText.ts';
import { px, WIDTH } from './drawn.ts';

const ROW = 13;
const DEEPEST = 16;
/** Calls narrower than this are not drawn. */
const THINNEST = 1.5;
const LETTER = 5.9;

interface Box {
  readonly at: number;
  readonly depth: number;
  readonly left: number;
  readonly width: number;
}

/** Calls back to back: before upward, lit downward; what grew is gold. */
export function FlamePicture({ evidence: { title, calls } }: { evidence: FlameEvidence }) {
  const [up, down] = [boxesOf(calls, 'before'), boxesOf(calls, 'lit')];
  const rows = (boxes: readonly Box[]) => Math.max(0, ...boxes.map(({ depth }) => depth + 1));
  const middle = rows(up) * ROW + 2;
  const draw = (boxes: readonly Box[], side: -1 | 1) =>
    boxes.map(({ at, depth, left, width }) => {
      const { name, lit, before, own } = calls[at];
      const top = side < 0 ? middle - (depth + 1) * ROW - 1 : middle + depth * ROW + 1;
      const grown = side > 0 && lit > 0 ? Math.max(0, (lit - before) / lit) : 0;
      return (
        <g key={at}>
          <title>{`${name}: ${valueText(before, 'share', 'UTC')} before, ${valueText(lit, 'share', 'UTC')} lit`}</title>
          <rect
            x={px(left)}
            y={top}
            width={px(Math.max(0.5, width - 0.7))}
            height={ROW - 1}
            rx="1"
            style={{ fill: side < 0 ? 'var(--before)' : 'var(--t-own)' }}
            opacity={own ? 0.75 : 0.4}
          />
          {grown > 0.05 && (
            <rect
              x={px(left + width * (1 - grown))}
              y={top}
              width={px(Math.max(0.5, width * grown - 0.7))}
              height={ROW - 1}
              rx="1"
              className="ev-fill-lit"
            />
          )}
          {width > 30 && (
            <text x={px(left + 3)} y={top + 9} style={{ fill: 'var(--text)' }}>
              {name.slice(0, Math.floor((width - 6) / LETTER))}
            </text>
          )}
        </g>
      );
    });
  return (
    <svg viewBox={`0 0 ${WIDTH} ${middle + rows(down) * ROW + 4}`} role="img" aria-label={title}>
      {draw(up, -1)}
      <line x1="0" x2={WIDTH} y1={middle} y2={middle} className="ev-axis" />
      {draw(down, 1)}
    </svg>
  );
}

/** Boxes of one side: children stand on their parent from its left edge on, in the order of the calls. */
function boxesOf(calls: FlameEvidence['calls'], side: 'lit' | 'before'): Box[] {
  const whole = calls.filter(({ parent }) => parent < 0).reduce((sum, it) => sum + it[side], 0);
  if (whole <= 0) return [];
  const lefts: number[] = [];
  const depths: number[] = [];
  const next = new Map<number, number>();
  return calls.flatMap((call, at): Box[] => {
    const left = next.get(call.parent) ?? (call.parent < 0 ? 0 : lefts[call.parent]);
    const width = (call[side] / whole) * WIDTH;
    next.set(call.parent, left + width);
    lefts[at] = left;
    depths[at] = call.parent < 0 ? 0 : depths[call.parent] + 1;
    return width >= THINNEST && depths[at] < DEEPEST ? [{ at, depth: depths[at], left, width }] : [];
  });
}
