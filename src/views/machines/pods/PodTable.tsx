import { group } from 'd3-array';
import type { MachinePods } from '../../../api/machines/pods.ts';
import { PATTERN_WORDS, type Pattern } from '../../../core/machines/pods/podPatterns.ts';
import { coresText, memoryText } from '../../../core/machines/words.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { ServiceMark } from '../../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { hostPath } from '../../../ui/machines/machinePaths.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import styles from '../Machines.module.css';
import pods from './Pods.module.css';

type Pod = MachinePods['pods'][number];

interface PodTableProps {
  readonly answer: MachinePods;
  readonly by: string;
  readonly chosen: string;
  readonly choose: (id: string) => void;
}

/** Rows that are drawn of a group that is well; the rest is counted. */
const MOST_WELL = 12;

/** Pods, the worst first: their lives in the window, and what they use of what they may. */
export function PodTable({ answer, by, chosen, choose }: PodTableProps) {
  const zone = useZone();
  const { from, to } = { from: Date.parse(answer.litWindow.from), to: Date.parse(answer.litWindow.to) };
  const groups = by === '' ? [['', answer.pods] as const] : [...group(answer.pods, (it) => groupOf(it, by))];
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <section className={pods.scroller} aria-label="Pods" tabIndex={0}>
      <table className={styles.table}>
        <thead>
          <tr>
            <th />
            <th>{answer.found} pods, worst first</th>
            <th>stands on</th>
            <th>state</th>
            <th className={styles.number}>killed</th>
            <th className={styles.number}>restarts</th>
            <th>
              its lives, {clockTime(from, zone)}–{clockTime(to, zone)}
            </th>
            <th>CPU, cores: request, limit</th>
            <th>memory: request, limit</th>
          </tr>
        </thead>
        {groups.map(([name, rows]) => (
          <tbody key={name}>
            {by !== '' && (
              <tr>
                <th colSpan={9} scope="rowgroup">
                  {name || 'none'}, {rows.length} {rows.length === 1 ? 'pod' : 'pods'}
                  {rows.some(({ patterns }) => patterns.length > 0) &&
                    `, ${rows.filter(({ patterns }) => patterns.length > 0).length} unwell`}
                </th>
              </tr>
            )}
            {shownOf(rows, chosen).map((pod) => (
              <PodRow key={pod.id} pod={pod} from={from} to={to} isChosen={pod.id === chosen} choose={choose} />
            ))}
            {rows.length > shownOf(rows, chosen).length && (
              <tr>
                <td />
                <td colSpan={8} className="dim">
                  {rows.length - shownOf(rows, chosen).length} more pods, all ready, none with a pattern of trouble
                </td>
              </tr>
            )}
          </tbody>
        ))}
      </table>
    </section>
  );
}

function shownOf(rows: readonly Pod[], chosen: string): readonly Pod[] {
  const unwell = rows.filter(({ patterns }) => patterns.length > 0);
  const well = rows.filter(({ patterns }) => patterns.length === 0);
  const shown = [...unwell, ...well.slice(0, Math.max(3, MOST_WELL - unwell.length))];
  const own = rows.find(({ id }) => id === chosen);
  return own && !shown.includes(own) ? [...shown, own] : shown;
}

function groupOf(pod: Pod, by: string): string {
  if (by === 'machine') return pod.standsOn;
  if (by === 'pattern') return pod.patterns.length > 0 ? PATTERN_WORDS[pod.patterns[0]] : 'well';
  return pod.labels[by.replace(/^label /, '')] ?? '';
}

interface PodRowProps {
  readonly pod: Pod;
  readonly from: number;
  readonly to: number;
  readonly isChosen: boolean;
  readonly choose: (id: string) => void;
}

function PodRow({ pod, from, to, isChosen, choose }: PodRowProps) {
  const { href } = useScope();
  const isMild = pod.patterns.every((it: Pattern) => it === 'held back' || it === 'not ready');
  return (
    <tr data-chosen={isChosen} onClick={() => choose(pod.id)}>
      <td>
        <StateGlyph
          state={pod.patterns.length === 0 ? 'calm' : isMild ? 'strained' : 'failing'}
          word={pod.patterns.length === 0 ? 'well' : pod.patterns.map((it) => PATTERN_WORDS[it]).join(', ')}
        />
      </td>
      <td>
        <button type="button" className={styles.strong} onClick={() => choose(pod.id)}>
          {pod.service && <ServiceMark service={pod.service} />} {pod.name}
        </button>
      </td>
      <td>
        <a
          className="dim"
          href={href(hostPath(pod.standsOn))}
          onClick={(event) => event.stopPropagation()}
          suppressHydrationWarning
        >
          {pod.standsOn}
        </a>
      </td>
      <td className={pod.ready ? pods.ready : styles.bad}>{pod.ready ? 'ready' : pod.reason || pod.phase || 'not ready'}</td>
      <td className={`${styles.number} ${pod.killed > 0 ? styles.bad : ''}`}>{pod.killed}</td>
      <td className={styles.number}>{pod.restarts}</td>
      <td>
        <Lives pod={pod} from={from} to={to} />
      </td>
      <td>
        <VesselBar of={pod.cpu} text={coresText} />
      </td>
      <td>
        <VesselBar of={pod.memory} text={memoryText} />
      </td>
    </tr>
  );
}

/** When it lived within the window: a line while it ran, a cross where it was killed. */
function Lives({ pod, from, to }: { pod: Pod; from: number; to: number }) {
  const x = (at: number) => `${(100 * (at - from)) / (to - from)}%`;
  return (
    <span className={pods.lives} role="img" aria-label={`${pod.lives.length} lives, ${pod.killed} ended by being killed`}>
      {pod.lives.map((life) => (
        <i
          key={life.from}
          className={pods.life}
          style={{ left: x(Math.max(from, life.from)), width: `calc(${x(life.to)} - ${x(Math.max(from, life.from))})` }}
        />
      ))}
      {pod.lives
        .filter(({ end }) => end === 'killed')
        .map(({ to: at }) => (
          <b key={at} style={{ left: x(at) }}>
            ×
          </b>
        ))}
    </span>
  );
}

/** What is used, in a vessel whose wall is the limit; the request is a notch, what is usual a mark. */
function VesselBar({ of, text }: { of: Pod['cpu']; text: (value: number) => string }) {
  const top = of.limit ?? 1.2 * Math.max(of.request ?? 0, of.most ?? 0, 1e-9);
  const x = (value: number) => `${Math.min(100, (100 * value) / top)}%`;
  const most = of.most ?? of.now ?? 0;
  const isFull = of.limit !== null && most >= 0.95 * of.limit;
  return (
    <span className={pods.vesselBar} data-full={isFull}>
      <span className={pods.vessel}>
        {of.now !== null && <i className={pods.level} style={{ width: x(Math.max(of.now, isFull ? most : 0)) }} />}
        {of.request !== null && <i className={pods.request} style={{ left: x(of.request) }} />}
        {of.usual !== null && <i className={pods.usual} style={{ left: x(of.usual) }} />}
        {of.limit !== null && <i className={pods.wall} />}
      </span>
      <output>{of.now === null && of.most === null ? '–' : text(isFull ? most : (of.now ?? 0))}</output>
    </span>
  );
}
