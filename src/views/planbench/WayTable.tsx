import { scaleLog } from 'd3-scale';
import type { PlanTrial } from '../../api/planbench/trial.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { rowWords, verdictWords } from '../../core/planbench/report.ts';
import type { Tried } from '../../core/planbench/trial.ts';
import { median } from '../../core/planbench/verdict.ts';
import { briefDuration, formatDuration } from '../../core/time/duration.ts';
import styles from './Bench.module.css';

const WIDTH = 168;
const HEIGHT = 30;
const RUNS_WIDTH = 72;
/** Runs are drawn within a fifth of their middle on either side; those beyond stand at the edge. */
const SPREAD = 0.2;

const time = (ms: number) => formatDuration(ms * 1e6);

/** All ways that were run, on one axis of time, with every run. */
export function WayTable({
  trial,
  ways,
  chosen,
  choose,
  before,
  saving,
}: {
  readonly trial: PlanTrial;
  readonly ways: readonly Tried[];
  readonly chosen: string;
  readonly choose: (key: string) => void;
  /** Milliseconds of a call on the live server in the reference window. */
  readonly before: number | null;
  readonly saving: (it: Tried) => number | null;
}) {
  const middles = ways.flatMap((it) => (middleOf(it) === undefined ? [] : [middleOf(it)!]));
  const marks = [...middles, ...(trial.how.limitMs ? [trial.how.limitMs] : []), ...(before ? [before] : [])].filter(
    (it) => it > 0,
  );
  const x = scaleLog()
    .domain([Math.min(...marks, 1) * 0.8, Math.max(...marks, 1) * 1.25])
    .range([6, WIDTH - 6]);
  const ticks = x
    .ticks()
    .filter((it) => Number.isInteger(Math.log10(it) + 1e-9) || Math.abs(Math.log10(it) - Math.round(Math.log10(it))) < 1e-9);
  const original = ways.find((it) => it.key === 'original');
  const base = original && middleOf(original);
  return (
    <table className={styles.ways}>
      <thead>
        <tr>
          <th colSpan={2}>alternative</th>
          <th className={styles.axis}>
            <svg width={WIDTH} height={14} aria-hidden="true">
              {ticks.map((it) => (
                <text key={it} x={x(it)} y={11} textAnchor="middle">
                  {time(it)}
                </text>
              ))}
            </svg>
          </th>
          <th>{trial.how.runs} runs, ± 20 %</th>
          <th className={styles.number}>time</th>
          <th className={styles.number}>blocks</th>
          <th className={styles.number}>rows</th>
          <th className={styles.number}>saves a day</th>
        </tr>
      </thead>
      <tbody>
        {ways.map((it) => {
          const middle = middleOf(it);
          const saved = saving(it);
          return (
            <tr key={it.key} data-chosen={it.key === chosen} data-better={it.verdict?.is === 'better'}>
              <td>
                {it.key === 'original' ? (
                  <span className="dim">original</span>
                ) : (
                  it.kinds.map((kind) => <kbd key={kind}>{kind}</kbd>)
                )}
              </td>
              <td>
                <button
                  type="button"
                  aria-pressed={it.key === chosen}
                  onClick={() => choose(it.key)}
                  title={[it.words, ...it.why].join('\n')}
                >
                  {it.words}
                </button>
              </td>
              <td>
                <svg width={WIDTH} height={HEIGHT} role="img" aria-label={middle === undefined ? 'not run yet' : time(middle)}>
                  {before !== null && before > 0 && (
                    <line className={styles.beforeLine} x1={x(before)} x2={x(before)} y1={0} y2={HEIGHT} />
                  )}
                  {trial.how.limitMs !== null && (
                    <line className={styles.limitLine} x1={x(trial.how.limitMs)} x2={x(trial.how.limitMs)} y1={0} y2={HEIGHT} />
                  )}
                  {base !== undefined && <line className={styles.baseLine} x1={x(base)} x2={x(base)} y1={0} y2={HEIGHT} />}
                  {middle !== undefined && base !== undefined && (
                    <line className={styles.distance} x1={x(middle)} x2={x(base)} y1={HEIGHT / 2} y2={HEIGHT / 2} />
                  )}
                  {middle !== undefined && <circle className={styles.dot} cx={x(middle)} cy={HEIGHT / 2} r={4.5} />}
                </svg>
              </td>
              <td>
                <Runs of={it} />
              </td>
              <td className={styles.number}>{middle === undefined ? '–' : <b title={verdictWords(it)}>{time(middle)}</b>}</td>
              <td
                className={styles.number}
                title={
                  it.blocks
                    ? `${formatCount(it.blocks.read)} read, ${formatCount(it.blocks.temporary)} temporary; guessed cost ${formatCount(Math.round(it.cost))}`
                    : ''
                }
              >
                {it.blocks ? formatCount(it.blocks.hit + it.blocks.read) : '–'}
              </td>
              <td className={styles.number} data-equal={it.rows?.are === 'equal'}>
                {it.rows ? rowWords(it) : '–'}
              </td>
              <td className={styles.number}>{saved === null ? shortVerdict(it) : briefDuration(saved * 1e6)}</td>
            </tr>
          );
        })}
      </tbody>
      <tfoot>
        <tr>
          <td colSpan={2} />
          <td colSpan={6} className={styles.legend}>
            {before !== null && <span data-of="before">before: {time(before)} a call on the live server</span>}
            <span>original</span>
            {trial.how.limitMs !== null && <span data-of="limit">limit {time(trial.how.limitMs)}</span>}
          </td>
        </tr>
      </tfoot>
    </table>
  );
}

/** Of a way that saves nothing that is known. */
function shortVerdict({ key, verdict }: Tried): string {
  if (key === 'original' || !verdict) return '';
  return { better: 'faster', same: 'no gain', worse: 'slower', unsure: 'not sure' }[verdict.is];
}

function middleOf(it: Tried): number | undefined {
  return it.runs.length > 0 ? median(it.runs) : it.first?.ms;
}

/** Each run as a tick about the middle of all. */
function Runs({ of }: { readonly of: Tried }) {
  if (of.runs.length === 0) return null;
  const middle = median(of.runs);
  const at = (ms: number) => RUNS_WIDTH / 2 + Math.max(-1, Math.min(1, (ms / middle - 1) / SPREAD)) * (RUNS_WIDTH / 2 - 2);
  return (
    <svg
      width={RUNS_WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`${of.runs.length} runs, ${time(Math.min(...of.runs))} to ${time(Math.max(...of.runs))}`}
    >
      <title>{of.runs.map(time).join(', ')}</title>
      <line className={styles.runsLine} x1={2} x2={RUNS_WIDTH - 2} y1={HEIGHT / 2} y2={HEIGHT / 2} />
      {of.runs.map((ms, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a run is its place
        <line key={index} className={styles.runTick} x1={at(ms)} x2={at(ms)} y1={9} y2={HEIGHT - 9} />
      ))}
    </svg>
  );
}
