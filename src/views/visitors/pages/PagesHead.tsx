import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { shortDuration } from '../../../core/time/duration.ts';
import { VITALS, type Vital } from '../../../core/visits/figures/vitals.ts';
import { ms, thresholdWords, vitalText } from '../../../core/visits/words.ts';
import { type State, StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { vitalState } from '../shares.ts';
import styles from '../Visitors.module.css';
import { ApdexFigures, TargetSelect } from './ApdexFigures.tsx';
import { PhaseBar } from './PhaseBar.tsx';

interface PagesHeadProps {
  readonly answer: VisitorPages;
  readonly axis: { readonly end: number; readonly ticks: readonly number[] };
  readonly setTarget: (target: number) => void;
}

const WIDTH = 344;
const HEIGHT = 92;
const MARKS = 20;

/** All pages at once: the spread of the time until ready back to back around its phases, and how pages feel by the public measures. */
export function PagesHead({ answer, axis, setTarget }: PagesHeadProps) {
  const { lit, before } = answer.whole;
  const hasVitals = Object.keys(lit.vitals).length > 0;
  return (
    <section className={styles.whole} aria-label="All pages">
      <div className={styles.figures}>
        <h2>
          All pages <small className="mono">{formatCount(lit.views)} views</small>
        </h2>
        <dl>
          {(['TTFB', 'LCP'] as const).map((vital) => (
            <VitalRow key={vital} vital={vital} answer={answer} />
          ))}
          <div>
            <dt>ready</dt>
            <dd>
              <span className={styles.was}>{ms(before.ready.p75)}</span>→{ms(lit.ready.p75)}
            </dd>
          </div>
        </dl>
        <small className="dim">at p75{hasVitals ? '; TTFB, LCP, usable' : '; until usable'}</small>
      </div>
      <Spread answer={answer} axis={axis} />
      {hasVitals ? (
        <>
          <Felt vital="INP" answer={answer} spread={answer.inp} name="Press answered" />
          <Felt vital="CLS" answer={answer} spread={answer.cls} name="Jumping about" />
        </>
      ) : (
        <>
          <span />
          <span />
        </>
      )}
      <Apdex answer={answer} setTarget={setTarget} />
    </section>
  );
}

function VitalRow({ vital, answer: { whole } }: { vital: Vital; answer: VisitorPages }) {
  const [now, then] = [whole.lit.vitals[vital], whole.before.vitals[vital]];
  if (!now) return null;
  return (
    <div title={`${vital}: ${thresholdWords(vital)}`}>
      <dt>
        <StateGlyph state={vitalState(vital, now.p75)} word={stateWord(vitalState(vital, now.p75))} />{' '}
        {vital === 'TTFB' ? 'first byte' : 'main drawn'}
      </dt>
      <dd>
        {then && <span className={styles.was}>{vitalText(vital, then.p75)}→</span>}
        {vitalText(vital, now.p75)}
      </dd>
    </div>
  );
}

function stateWord(state: State): string {
  return state === 'calm' ? 'good' : state === 'strained' ? 'needs work' : state === 'failing' ? 'poor' : 'not known';
}

/** How long pages took until they were ready, before above and lit below, on the axis that the rows share. */
function Spread({ answer: { ready, whole }, axis }: { answer: VisitorPages; axis: PagesHeadProps['axis'] }) {
  const scale = (value: number) => (Math.min(value, axis.end) / axis.end) * WIDTH;
  const middle = 46;
  const bars = (counts: readonly number[], side: -1 | 1) => {
    const total = counts.reduce((sum, it) => sum + it, 0);
    if (total === 0) return null;
    // Bins widen with time: what is drawn is how dense they are.
    const dense = counts.map((count, at) =>
      at === 0 || at > ready.edges.length - 1 ? 0 : count / total / (scale(ready.edges[at]) - scale(ready.edges[at - 1]) || 1),
    );
    const most = Math.max(...dense);
    return dense.map((it, at) => {
      if (it === 0 || ready.edges[at - 1] >= axis.end) return null;
      const [x, to] = [scale(ready.edges[at - 1]), scale(ready.edges[at])];
      const height = Math.max(1, Math.sqrt(it / most) * 26);
      return (
        <rect
          key={ready.edges[at]}
          x={x}
          width={Math.max(0.8, to - x - 0.6)}
          y={side < 0 ? middle - 12 - height : middle + 12}
          height={height}
          fill={side < 0 ? 'var(--before)' : 'var(--lit)'}
        />
      );
    });
  };
  const [good, poor] = VITALS.LCP;
  return (
    <svg
      width={WIDTH + 20}
      height={HEIGHT}
      role="img"
      aria-label={`Until ready: ${ms(whole.before.ready.p75)} before, ${ms(whole.lit.ready.p75)} lit at p75; spread before above, lit below`}
    >
      {[good, poor]
        .filter((it) => it < axis.end)
        .map((it) => (
          <g key={it}>
            <line x1={scale(it)} x2={scale(it)} y1={8} y2={HEIGHT} stroke="var(--text-3)" strokeDasharray="3 3" />
            {(it === good || scale(poor) - scale(good) > 72) && (
              <text x={scale(it) + 3} y={10} className={styles.mark}>
                {it === good ? 'good to' : 'poor from'} {shortDuration(it * 1e6)}
              </text>
            )}
          </g>
        ))}
      {bars(ready.before, -1)}
      <PhaseBar phases={whole.before.band.phases} scale={scale} y={middle - 11} height={4} dim />
      <PhaseBar phases={whole.lit.band.phases} scale={scale} y={middle - 5} height={15} />
      {bars(ready.lit, 1)}
    </svg>
  );
}

const SMALL = 96;

function Felt({
  vital,
  answer: { whole },
  spread,
  name,
}: {
  vital: Vital;
  answer: VisitorPages;
  spread: VisitorPages['inp'];
  name: string;
}) {
  const [now, then] = [whole.lit.vitals[vital], whole.before.vitals[vital]];
  const bins = spread.edges.length + 1;
  const width = SMALL / bins;
  const [good, poor] = VITALS[vital];
  const place = (value: number) => {
    const at = spread.edges.findIndex((it) => it > value);
    return (at < 0 ? bins : at) * width;
  };
  const bars = (counts: readonly number[], side: -1 | 1) => {
    const most = Math.max(...counts, 1);
    return counts.map((count, at) =>
      count > 0 ? (
        <rect
          // biome-ignore lint/suspicious/noArrayIndexKey: a bin is its place
          key={at}
          x={at * width}
          width={Math.max(0.6, width - 0.5)}
          y={side < 0 ? 24 - Math.sqrt(count / most) * 21 : 26}
          height={Math.max(1, Math.sqrt(count / most) * 21)}
          fill={side < 0 ? 'var(--before)' : 'var(--lit)'}
        />
      ) : null,
    );
  };
  return (
    <div className={styles.felt}>
      <h3>{name}</h3>
      <small className="dim">{vital}</small>
      {now ? (
        <>
          <p className="mono" title={thresholdWords(vital)}>
            <StateGlyph state={vitalState(vital, now.p75)} word={stateWord(vitalState(vital, now.p75))} />
            <span>
              {then && <span className={styles.was}>{vital === 'CLS' ? vitalText(vital, then.p75) : then.p75}</span>}
              {then && '→'}
              {vital === 'CLS' ? vitalText(vital, now.p75) : `${now.p75} ms`}
            </span>
          </p>
          <svg
            width={SMALL}
            height={60}
            role="img"
            aria-label={`${vital}: ${Math.round(100 * now.good)} % of views good, ${Math.round(100 * now.poor)} % poor`}
          >
            {bars(spread.before, -1)}
            {bars(spread.lit, 1)}
            {[good, poor].map((it) => (
              <g key={it}>
                <line x1={place(it)} x2={place(it)} y1={0} y2={49} stroke="var(--text-3)" strokeDasharray="3 3" />
                <text
                  x={place(it)}
                  y={59}
                  textAnchor={it === good && place(poor) - place(good) < 24 ? 'end' : place(it) > SMALL - 14 ? 'end' : 'middle'}
                  className={styles.mark}
                >
                  {vital === 'CLS' ? it / 1_000 : it}
                </text>
              </g>
            ))}
          </svg>
        </>
      ) : (
        <p className="dim">not reported</p>
      )}
    </div>
  );
}

/** Apdex as twenty marks, each for a twentieth of the loads. */
function Apdex({ answer, setTarget }: Pick<PagesHeadProps, 'answer' | 'setTarget'>) {
  const { lit, before } = answer.whole;
  const satisfied = lit.satisfied / Math.max(1, lit.ready.loads);
  const tolerated = satisfied + lit.tolerated / Math.max(1, lit.ready.loads);
  return (
    <div className={styles.felt}>
      <h3>Apdex</h3>
      <small className="dim">
        <TargetSelect label="T =" value={answer.target} choose={setTarget} />
        {answer.ownTargets > 0 && <span title="their own T counts for these">, {answer.ownTargets} with their own</span>}
      </small>
      <p className="mono">
        <ApdexFigures lit={lit.apdex} before={before.apdex} />
      </p>
      {lit.apdex !== null && (
        <div className={styles.marks} title="a mark: 5 % of loads, satisfied, tolerated, frustrated">
          {Array.from({ length: MARKS }, (_, at) => {
            const share = (at + 0.5) / MARKS;
            const mark = share < satisfied ? 'calm' : share < tolerated ? 'strained' : 'failing';
            // biome-ignore lint/suspicious/noArrayIndexKey: a mark is its place
            return <StateGlyph key={at} state={mark} word="" />;
          })}
        </div>
      )}
    </div>
  );
}
