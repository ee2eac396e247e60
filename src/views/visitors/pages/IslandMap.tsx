import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { ms } from '../../../core/visits/words.ts';
import styles from '../Visitors.module.css';

/** The Osier Reach as a mariner would sketch it: where each island lies. Regions that are not on it stand in the list alone. */
const ISLANDS: Readonly<Record<string, { readonly x: number; readonly y: number; readonly path: string }>> = {
  Tern: { x: 62, y: 40, path: 'M-16 2c2-9 12-12 20-9s12 8 9 14-12 9-19 7-12-5-10-12z' },
  Marram: { x: 112, y: 24, path: 'M-13-2c4-6 14-8 20-3s5 11-2 13-15 1-18-2-2-5 0-8z' },
  'Skerry Holm': { x: 168, y: 20, path: 'M-8-4c4-4 10-4 13 1s0 9-5 9-9-2-10-5 0-4 2-5z' },
  'Little Auk': { x: 106, y: 62, path: 'M-10 0c1-6 8-9 14-6s7 8 2 11-16 2-16-5z' },
  Fennick: { x: 162, y: 58, path: 'M-11-3c5-5 13-4 17 0s2 9-4 10-13 0-15-4 0-4 2-6z' },
  Saltern: { x: 226, y: 46, path: 'M-9-1c2-6 9-8 14-4s5 9 0 11-14 1-14-7z' },
};
const ROUTES = [
  ['Tern', 'Marram'],
  ['Marram', 'Skerry Holm'],
  ['Tern', 'Little Auk'],
  ['Little Auk', 'Fennick'],
  ['Fennick', 'Saltern'],
  ['Skerry Holm', 'Saltern'],
] as const;

interface IslandMapProps {
  readonly facet: VisitorPages['facets'][number];
  readonly narrow: (island: string) => void;
}

/** Regions on a small map: how much longer pages take there, by how bright the island is. */
export function IslandMap({ facet, narrow }: IslandMapProps) {
  const known = facet.values.filter(({ value }) => value in ISLANDS);
  if (known.length < 3) return null;
  const most = Math.max(...known.map(({ litP75 }) => litP75 ?? 0), 1);
  return (
    <svg
      width={262}
      height={84}
      className={styles.islands}
      role="img"
      aria-label="Islands, the brighter the longer pages take there; the list below has the figures"
    >
      {ROUTES.map(([a, b]) => (
        <line
          key={a + b}
          x1={ISLANDS[a].x}
          y1={ISLANDS[a].y}
          x2={ISLANDS[b].x}
          y2={ISLANDS[b].y}
          stroke="var(--line)"
          strokeDasharray="1.5 4"
        />
      ))}
      {known.map(({ value, litP75, beforeP75 }) => {
        const { x, y, path } = ISLANDS[value];
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: the list below is the way by keyboard
          <g key={value} transform={`translate(${x} ${y})`} onClick={() => narrow(value)}>
            <path d={path} fill="var(--lit)" fillOpacity={0.12 + 0.75 * ((litP75 ?? 0) / most) ** 2} stroke="var(--text-3)" />
            <title>{`${value}: ${ms(beforeP75)} before, ${ms(litP75)} lit at p75`}</title>
            <text y={22} textAnchor="middle">
              {value}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
