import { useState } from 'react';
import type { LineNumbersAnswer } from '../../api/logs/numbers.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatValue } from '../../core/measures/unitText.ts';
import type { Scope } from '../../core/scope/scope.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { PairChart } from '../../ui/charts/PairChart.tsx';
import type { PairLine } from '../../ui/charts/pairRows.ts';
import { useLineMeasures, useLineMeasuresChange, useLineNumbers } from '../../ui/queries/logs.ts';
import styles from './Logs.module.css';
import { type LogShape, nameOfHole } from './words.ts';

interface HoleNumbersProps {
  readonly shape: LogShape;
  readonly hole: number;
  readonly scope: Scope;
  readonly question: Readonly<Record<string, string>>;
}

type Summed = NonNullable<LineNumbersAnswer['litWhole']>;

/** What lines say in one place as numbers over time, and the way to make it a measure. */
export default function HoleNumbers({ shape, hole, scope, question }: HoleNumbersProps) {
  const { data, error, isFetching } = useLineNumbers(scope, question, shape.id, hole);
  if (error) return <p role="alert">{error.message}</p>;
  if (!data) return <p className="dim">Adding up …</p>;
  const name = nameOfHole(shape, hole);
  const format = (value: number) => formatValue(value, data.unit);
  if (!data.litWhole && !data.beforeWhole) return <p className="dim">No number stands there in either window.</p>;
  const line = (side: 'lit' | 'before', part: 'p95' | 'p50', from: number): PairLine => ({
    name: `${part === 'p95' ? '95 % below' : 'half below'} ${side}`,
    side,
    main: part === 'p95',
    points: data[side].map((it, at) => [from + at * data.stepMs, it === null ? null : (it[part] ?? it.mean)]),
  });
  return (
    <section className={styles.numbers} aria-label={`${name} as numbers`} data-stale={isFetching}>
      <PairChart
        title={name}
        note={`${words(data.beforeWhole, format)} → ${words(data.litWhole, format)}`}
        lines={(['p95', 'p50'] as const).flatMap((part) => [
          line('before', part, data.beforeFrom),
          line('lit', part, data.litFrom),
        ])}
        litFrom={data.litFrom}
        beforeFrom={data.beforeFrom}
        stepMs={data.stepMs}
        format={format}
        height={90}
      />
      {data.noNumbers > 0 && <p className="dim">{formatCount(data.noNumbers)} lines have no number there.</p>}
      {data.building > 0 && (
        <p className="dim">Lines of {formatCount(data.building)} stretches of ten minutes are still being read.</p>
      )}
      <AsMeasure shape={shape} hole={hole} name={name} unit={data.unit} />
    </section>
  );
}

function words(it: Summed | null, format: (value: number) => string): string {
  if (!it) return 'none';
  const spread = it.p95 === null ? '' : `, 95 % below ${format(it.p95)}`;
  return `mean ${format(it.mean)}${spread}, of ${formatCount(it.count)}`;
}

interface AsMeasureProps {
  readonly shape: LogShape;
  readonly hole: number;
  readonly name: string;
  readonly unit: string;
}

/** Makes the numbers a measure of the services that write them, under a name, or no longer. */
function AsMeasure({ shape, hole, name, unit }: AsMeasureProps) {
  const { data } = useLineMeasures();
  const change = useLineMeasuresChange();
  const [typed, setTyped] = useState(() => proposed(shape, name));
  const measures = data?.measures ?? [];
  const known = measures.find((it) => it.shape === shape.id && it.hole === hole);
  if (known)
    return (
      <p className={styles.acts}>
        <span>
          <b className="mono">{known.name}</b> is a measure of {shape.services.slice(0, 3).join(', ')}, beside what they send
        </span>
        <OnlyFor least="responder">
          <button type="button" disabled={change.isPending} onClick={() => change.mutate(measures.filter((it) => it !== known))}>
            no longer
          </button>
        </OnlyFor>
      </p>
    );
  return (
    <OnlyFor least="responder">
      <form
        className={styles.acts}
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate([...measures, { name: typed.trim(), unit, shape: shape.id, hole }]);
        }}
      >
        <label>
          a measure called <input value={typed} onChange={(event) => setTyped(event.target.value)} size={28} />
        </label>
        <button type="submit" disabled={change.isPending || typed.trim() === ''}>
          keep as measure
        </button>
        {change.error && <span role="alert">{change.error.message}</span>}
      </form>
    </OnlyFor>
  );
}

/** A name as measures have it: who says it, and what. */
function proposed({ services }: LogShape, name: string): string {
  const plain = (text: string) => text.replace(/[^\p{ASCII}]|[^\w.-]/gu, '_');
  return `${plain(services[0] ?? 'lines')}.${plain(name)}`;
}
