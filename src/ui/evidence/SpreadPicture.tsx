import { scaleLog } from 'd3-scale';
import type { Distribution, SpreadEvidence } from '../../core/casebook/evidence/evidence.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { shortDuration } from '../../core/time/duration.ts';
import { px, WIDTH } from './drawn.ts';

const PER_OCTAVE = 16;
/** Buckets that make one bar: a third of an octave. */
const STEP = 5;
const HALF = 34;
const FEWEST_BINS = 12;

/** Two distributions back to back on a log axis, before above and lit below; heights are square roots of shares. */
export function SpreadPicture({ evidence: { title, before, lit } }: { evidence: SpreadEvidence }) {
  const [up, down] = [binned(before), binned(lit)];
  const bins = [...up.bins.keys(), ...down.bins.keys()];
  if (bins.length === 0) return <p className="ev-note">No request in either window.</p>;
  const first = Math.min(...bins);
  const last = Math.max(...bins, first + FEWEST_BINS);
  const wide = WIDTH / (last - first + 1);
  const ns = (bin: number) => 2 ** ((bin * STEP) / PER_OCTAVE);
  const scale = scaleLog([ns(first), ns(last + 1)], [0, WIDTH]).base(10);
  // Whole powers of ten: on so short an axis others would only crowd it.
  const ticks = scale.ticks(5).filter((tick) => Number.isInteger(Math.log10(tick)));
  const bars = ({ bins: of }: Binned, side: -1 | 1) => {
    const most = Math.max(...of.values());
    return [...of].map(([bin, share]) => {
      const height = Math.max(1, Math.sqrt(share / most) * (HALF - 4));
      return (
        <rect
          key={bin}
          x={px((bin - first) * wide)}
          y={px(side < 0 ? HALF - height : HALF + 1)}
          width={px(Math.max(1, wide - 1))}
          height={px(height)}
          className={side < 0 ? 'ev-fill-before' : 'ev-fill-lit'}
        />
      );
    });
  };
  return (
    <svg viewBox={`0 0 ${WIDTH} ${2 * HALF + 16}`} role="img" aria-label={`${title}: before above, lit below`}>
      <line x1="0" x2={WIDTH} y1={HALF + 0.5} y2={HALF + 0.5} className="ev-axis" />
      {bars(up, -1)}
      {bars(down, 1)}
      <text {...placeOf(up, first, last)} y="9" className="ev-said ev-said-before">
        before: {formatCount(up.total)}
      </text>
      <text {...placeOf(down, first, last)} y={2 * HALF} className="ev-said ev-said-lit">
        lit: {formatCount(down.total)}
      </text>
      {ticks.map((tick) => (
        <text key={tick} x={px(Math.max(8, Math.min(WIDTH - 14, scale(tick))))} y={2 * HALF + 14} textAnchor="middle">
          {shortDuration(tick)}
        </text>
      ))}
    </svg>
  );
}

/** Where the words of a side stand in nobody's way: at the end of the axis where it has less. */
function placeOf({ bins }: Binned, first: number, last: number) {
  const near = (from: number, to: number) =>
    [...bins].reduce((sum, [bin, share]) => sum + (bin >= from && bin <= to ? share : 0), 0);
  const third = Math.floor((last - first) / 4);
  return near(first, first + third) < near(last - third, last)
    ? { x: 0, textAnchor: 'start' as const }
    : { x: WIDTH, textAnchor: 'end' as const };
}

interface Binned {
  readonly bins: Map<number, number>;
  readonly total: number;
}

function binned(distribution: Distribution): Binned {
  const bins = new Map<number, number>();
  const total = distribution.reduce((sum, [, count]) => sum + count, 0);
  for (const [bucket, count] of distribution) {
    const bin = Math.floor(bucket / STEP);
    bins.set(bin, (bins.get(bin) ?? 0) + count / Math.max(1, total));
  }
  return { bins, total };
}
