import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { formatShare } from '../../../core/incidents/words.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { ms } from '../../../core/visits/words.ts';
import { isLonger } from '../../../core/visits/worse.ts';
import { useZone } from '../../../ui/state/zone.ts';
import { roundAxis } from '../shares.ts';
import styles from '../Visitors.module.css';
import { IslandMap } from './IslandMap.tsx';

type Facet = VisitorPages['facets'][number];

interface FacetPairsProps {
  readonly answer: VisitorPages;
  readonly narrow: (field: string, value: string) => void;
}

const WIDTH = 118;
const SHOWN = 6;
const NAMES: Readonly<Record<string, string>> = {
  version: 'Version',
  region: 'Island',
  browser: 'Browser',
  device: 'Device',
  os: 'System',
};

/** By version, region, browser and device: p75 before and lit as a pair of dots, and whether it matters which. */
export function FacetPairs({ answer, narrow }: FacetPairsProps) {
  const { lit, before } = answer.whole;
  const changed = isLonger(lit.ready.p75, before.ready.p75);
  const most = Math.max(
    100,
    ...answer.facets.flatMap(({ values }) => values.flatMap(({ litP75, beforeP75 }) => [litP75 ?? 0, beforeP75 ?? 0])),
  );
  const axis = roundAxis(most);
  const columns = [answer.facets.slice(0, 1), answer.facets.slice(1, 2), answer.facets.slice(2)];
  return (
    <div className={styles.facets}>
      {columns.map((facets) => (
        <div key={facets[0]?.facet ?? ''}>
          {facets.map((facet) => (
            <section key={facet.facet}>
              <h3>
                {NAMES[facet.facet] ?? facet.facet}
                {changed && <Matter facet={facet} />}
              </h3>
              <ul>
                {facet.values
                  .filter(({ value, lit }) => value !== '' || lit > 0)
                  .slice(0, SHOWN)
                  .map((it) => (
                    <Pair key={it.value} it={it} end={axis.end} of={lit.views} narrow={() => narrow(facet.facet, it.value)} />
                  ))}
              </ul>
              {facet.facet === answer.overTime.facet && <OverTime answer={answer} />}
              {facet.facet === 'region' && <IslandMap facet={facet} narrow={(value) => narrow('region', value)} />}
            </section>
          ))}
        </div>
      ))}
    </div>
  );
}

function Pair({ it, end, of, narrow }: { it: Facet['values'][number]; end: number; of: number; narrow: () => void }) {
  const [lit, before] = [
    it.litP75 === null ? null : place(it.litP75, end),
    it.beforeP75 === null ? null : place(it.beforeP75, end),
  ];
  return (
    <li>
      <button type="button" onClick={narrow} title={`only ${it.value || 'not reported'}`}>
        {it.value || 'not reported'}
      </button>
      <svg
        width={WIDTH}
        height={18}
        role="img"
        aria-label={`${it.value}: ${ms(it.beforeP75)} before, ${ms(it.litP75)} lit at p75`}
      >
        <line x1={0} x2={WIDTH} y1={9} y2={9} stroke="var(--line-soft)" />
        {lit !== null && before !== null && <line x1={before} x2={lit} y1={9} y2={9} stroke="var(--text-3)" />}
        {before !== null && <circle cx={before} cy={9} r={3.6} fill="none" stroke="var(--before)" strokeWidth={1.8} />}
        {lit !== null && <circle cx={lit} cy={9} r={3.8} fill="var(--lit)" />}
      </svg>
      <span className="mono" title={`${it.lit} views, ${it.before} before`}>
        {formatShare(of > 0 ? it.lit / of : 0)}
      </span>
    </li>
  );
}

function place(value: number, end: number): number {
  return 5 + (Math.min(value, end) / end) * (WIDTH - 10);
}

/** What a facet explains of what takes longer; one value that is all of what is lit cannot be told from the window. */
function Matter({ facet }: { facet: Facet }) {
  const only = facet.values.filter(({ lit }) => lit > 0).length === 1;
  if (only)
    return facet.values.some(({ lit, before }) => lit > 0 && before === 0) ? (
      <small>new, and all there is: coincides</small>
    ) : (
      <small>cannot be told</small>
    );
  if (facet.explains < 0.25) return <small>does not matter</small>;
  return (
    <small className={styles.explains}>
      {facet.by} explains {Math.round(100 * facet.explains)} %
    </small>
  );
}

const LINE_WIDTH = 270;
const LINE_HEIGHT = 66;

/** p75 over the lit window, a line a version. */
function OverTime({ answer: { overTime, litWindow, facets } }: { answer: VisitorPages }) {
  const zone = useZone();
  const values = overTime.lines.flatMap(({ lit }) => lit.flatMap((it) => it ?? []));
  if (values.length < 2) return null;
  const top = Math.max(...values) * 1.1;
  const bins = overTime.lines[0].lit.length;
  const [from, to] = [Date.parse(litWindow.from), Date.parse(litWindow.to)];
  const x = (at: number) => ((at + 0.5) / bins) * LINE_WIDTH;
  const y = (value: number) => LINE_HEIGHT - 14 - (value / top) * (LINE_HEIGHT - 22);
  const started =
    facets
      .find(({ facet }) => facet === overTime.facet)
      ?.values.filter(({ before, firstMs, lit }) => before === 0 && lit > 0 && firstMs !== null) ?? [];
  return (
    <svg
      width={LINE_WIDTH}
      height={LINE_HEIGHT}
      role="img"
      aria-label={`p75 of being ready over the lit window, ${overTime.lines.map(({ value }) => value).join(', ')}`}
      className={styles.lines}
    >
      {overTime.lines.map(({ value, lit }, line) => (
        <path
          key={value}
          d={pathOf(lit, x, y)}
          fill="none"
          stroke="var(--lit)"
          strokeWidth={1.6}
          opacity={1 - 0.28 * line}
          strokeDasharray={line === 0 ? undefined : `${6 - line} 3`}
        />
      ))}
      {started.map(({ value, firstMs }) => {
        const at = ((firstMs! - from) / (to - from)) * LINE_WIDTH;
        if (at < 2) return null;
        return (
          <g key={value}>
            <line x1={at} x2={at} y1={6} y2={LINE_HEIGHT - 12} stroke="var(--text-3)" strokeDasharray="2 3" />
            <text x={Math.min(at + 3, LINE_WIDTH - 60)} y={9}>
              {value} first seen
            </text>
          </g>
        );
      })}
      <text x={0} y={LINE_HEIGHT - 2}>
        {clockTime(from, zone)}
      </text>
      <text x={LINE_WIDTH} y={LINE_HEIGHT - 2} textAnchor="end">
        {clockTime(to, zone)} · to {ms(Math.max(...values))}
      </text>
    </svg>
  );
}

function pathOf(values: readonly (number | null)[], x: (at: number) => number, y: (value: number) => number): string {
  let path = '';
  let isDown = false;
  for (const [at, value] of values.entries()) {
    if (value === null) isDown = false;
    else {
      path += `${isDown ? 'L' : 'M'}${x(at).toFixed(1)} ${y(value).toFixed(1)}`;
      // One point alone is seen too.
      if (!isDown && values[at + 1] == null) path += 'h1.5';
      isDown = true;
    }
  }
  return path;
}
