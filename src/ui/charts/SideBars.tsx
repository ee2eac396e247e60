interface SideBarsProps {
  /** Values from left to right; null where there is none. */
  readonly before: readonly (number | null)[];
  readonly lit: readonly (number | null)[];
  readonly label: string;
  readonly className?: string;
}

const WIDTH = 108;
const HEIGHT = 26;

/** A measure before and lit, side by side on one scale, as small bars. */
export function SideBars({ before, lit, label, className }: SideBarsProps) {
  const all = [...before, ...lit];
  const most = Math.max(0, ...all.map((value) => value ?? 0));
  const step = WIDTH / Math.max(1, all.length);
  return (
    <svg className={className} width={WIDTH} height={HEIGHT} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label={label}>
      <title>{label}</title>
      {all.map((value, at) => {
        if (value === null || most === 0) return null;
        const height = Math.max(value > 0 ? 1.5 : 0, (HEIGHT * value) / most);
        const side = at < before.length ? 'before' : 'lit';
        return (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: bars are their places
            key={at}
            x={at * step}
            y={HEIGHT - height}
            width={Math.max(0.6, step - 1)}
            height={height}
            rx="0.5"
            data-side={side}
          />
        );
      })}
    </svg>
  );
}
