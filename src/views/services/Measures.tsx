import { useState } from 'react';
import type { ServiceMeasures } from '../../api/services/measures.ts';
import { formatValue } from '../../core/measures/unitText.ts';
import { PairChart } from '../../ui/charts/PairChart.tsx';
import styles from './Service.module.css';

interface MeasuresProps {
  readonly answer: ServiceMeasures | undefined;
  readonly trouble: Error | null;
  readonly litFrom: number;
  readonly beforeFrom: number;
}

type Measure = ServiceMeasures['measures'][number];

/** What instances and hosts measure of themselves: what moved is drawn, what stayed flat is named, and drawn when asked for. */
export function Measures({ answer, trouble, litFrom, beforeFrom }: MeasuresProps) {
  const [all, setAll] = useState(false);
  if (trouble && !answer) return <p className={styles.quiet}>Measures could not be read: {trouble.message}</p>;
  if (!answer) return <p className={styles.quiet}>Reading what instances and hosts measure …</p>;
  const moved = answer.measures.filter(({ turn }) => turn === 'up' || turn === 'down');
  const flat = answer.measures.filter(({ turn }) => turn === 'flat');
  const unknown = answer.measures.filter(({ turn }) => turn === 'unknown');
  if (answer.measures.length === 0)
    return <p className={styles.quiet}>Neither its instances nor their hosts send measures in these windows.</p>;
  return (
    <>
      {moved.length === 0 && <p className={styles.quiet}>None moved.</p>}
      <div className={styles.small}>
        {[...moved, ...(all ? [...flat, ...unknown] : [])].map((it) => (
          <MeasureChart key={nameOf(it)} measure={it} litFrom={litFrom} beforeFrom={beforeFrom} />
        ))}
      </div>
      {unknown.length > 0 && <p className={styles.quiet}>Too few values to say: {unknown.map(nameOf).join(', ')}.</p>}
      {flat.length > 0 && (
        <p className={styles.quiet}>
          Flat: {flat.map(nameOf).join(', ')}.{' '}
          <button type="button" className={styles.more} onClick={() => setAll(!all)}>
            {all ? 'Hide their charts' : 'Draw them too'}
          </button>
        </p>
      )}
    </>
  );
}

/** Measures have one value a minute. */
const MINUTE_MS = 60_000;

function MeasureChart({ measure, litFrom, beforeFrom }: { measure: Measure; litFrom: number; beforeFrom: number }) {
  const movers = measure.lines.filter(({ turn }) => turn === 'up' || turn === 'down');
  const alone = movers.length > 0 && movers.length < measure.lines.length ? movers.map(({ of }) => of).join(', ') : '';
  const words = (value: number | null) => (value === null ? '–' : formatValue(value, measure.unit));
  return (
    <div>
      <PairChart
        title={nameOf(measure)}
        height={56}
        axes={false}
        lines={measure.lines.flatMap(({ of, lit, before, turn }) => [
          { name: of, side: 'before' as const, main: turn !== 'flat', points: before },
          { name: of, side: 'lit' as const, main: turn !== 'flat', points: lit },
        ])}
        format={(value) => formatValue(value, measure.unit)}
        litFrom={litFrom}
        beforeFrom={beforeFrom}
        stepMs={MINUTE_MS}
      />
      <span className={styles.flat}>
        {measure.turn === 'up' || measure.turn === 'down' ? (
          <b className={styles.moved} data-turn={measure.turn}>
            {measure.turn === 'up' ? 'rose' : 'fell'}
            {alone && ` on ${alone}`}
          </b>
        ) : (
          measure.turn
        )}{' '}
        {words(measure.before)} → {words(measure.lit)}
      </span>
    </div>
  );
}

function nameOf({ name, detail, ofHost }: Measure): string {
  return `${ofHost ? 'host ' : ''}${name}${detail === '' ? '' : ` ${detail}`}`;
}
