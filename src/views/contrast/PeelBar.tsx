import styles from './Contrast.module.css';

interface Layer {
  readonly key: string;
  readonly words: string;
  readonly share: number;
  /** Of its share, what is there being more of them. */
  readonly mixShare: number;
  readonly amounts: string;
}

interface PeelBarProps {
  readonly layers: readonly Layer[];
  readonly left: number;
  readonly whole: string;
}

const WIDTH = 872;
const ROLL = 11;
/** How far the end of what is rolled off stands above where it still holds. */
const LIFT = 14;

/** The whole difference as one strip; what is peeled off is rolled up from the left, and what is left stays where it was. */
export function PeelBar({ layers, left, whole }: PeelBarProps) {
  const rest = Math.max(0, Math.min(1, left));
  const edge = WIDTH * (1 - rest);
  const y = (x: number) => 8 + (LIFT * x) / Math.max(1, edge);
  const placed = layers.map((layer, at) => {
    const before = layers.slice(0, at).reduce((sum, { share }) => sum + Math.max(0, share), 0);
    const begin = Math.max(at === 0 ? ROLL : 0, WIDTH * before);
    const end = Math.min(edge, WIDTH * (before + Math.max(0, layer.share)));
    return { ...layer, begin, end, top: y(begin) + 2 };
  });
  return (
    <div className={styles.peel}>
      <svg
        viewBox={`0 0 ${WIDTH} 50`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`${whole}: ${layers.map(({ words, share }) => `${words} ${Math.round(100 * share)} %`).join(', ') || 'nothing peeled yet'}; ${Math.round(100 * left)} % left`}
      >
        <defs>
          <pattern id="more-of-them" width="5" height="5" patternUnits="userSpaceOnUse">
            <circle cx="1.5" cy="1.5" r="1.1" className={styles.dot} />
          </pattern>
        </defs>
        <rect x={0.5} y={24} width={WIDTH - 1} height={22} className={styles.place} />
        {placed.map(({ key, mixShare, words, amounts, begin, end }) => {
          if (end - begin < 1) return null;
          const turn = end - (end - begin) * mixShare;
          return (
            <g key={key}>
              <title>{`${words} ${amounts}`}</title>
              <path className={styles.strip} d={`M${begin} ${y(begin)}L${turn} ${y(turn)}v22L${begin} ${y(begin) + 22}z`} />
              {turn < end && (
                <path className={styles.stripMore} d={`M${turn} ${y(turn)}L${end} ${y(end)}v22L${turn} ${y(turn) + 22}z`} />
              )}
              <line className={styles.cut} x1={end} x2={end} y1={y(end)} y2={y(end) + 22} />
            </g>
          );
        })}
        {layers.length > 0 && (
          <g className={styles.roll}>
            <circle cx={ROLL} cy={19} r={ROLL} />
            <circle cx={ROLL} cy={19} r={6.5} />
            <circle cx={ROLL} cy={19} r={2.5} />
          </g>
        )}
        {rest > 0 && <rect x={edge} y={24} width={WIDTH - edge} height={22} className={styles.remains} rx={2} />}
      </svg>
      {placed.map(({ key, words, begin, end, top }) => (
        <p
          key={key}
          style={{ left: `${(100 * begin) / WIDTH + 1}%`, maxWidth: `${Math.max(0, (100 * (end - begin)) / WIDTH - 2)}%`, top }}
        >
          <span>{words}</span>
        </p>
      ))}
      {rest > 0.05 && (
        <p style={{ left: `${(100 * edge) / WIDTH + 1}%`, maxWidth: `${100 * rest - 1}%`, top: 25 }}>
          {layers.length === 0 ? 'nothing peeled off yet' : `${Math.round(100 * left)} % is left`}
        </p>
      )}
    </div>
  );
}
