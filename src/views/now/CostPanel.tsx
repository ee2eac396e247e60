import { useState } from 'react';
import { formatCount } from '../../core/measures/amount.ts';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import { useFields } from '../../ui/queries/fields.ts';
import { useCost } from '../../ui/queries/now.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Now.module.css';

const HIGH = 34;

/** What the lit time costs: an amount that requests carry, against what was to be expected. */
export function CostPanel() {
  const { scope } = useScope();
  const [opened, setOpened] = useState(false);
  const [key, setKey] = useState('');
  const fields = useFields(scope, opened);
  const cost = useCost(scope, key);
  const amounts = fields.data?.fields.filter(
    ({ values }) => values.length > 0 && values.every(({ value }) => value !== '' && Number.isFinite(Number(value))),
  );
  if (!opened)
    return (
      <button type="button" className={styles.edit} onClick={() => setOpened(true)}>
        What it costs
      </button>
    );
  return (
    <section>
      <h2>What it costs</h2>
      <label className={styles.amount}>
        Amount that requests carry
        <select value={key} onChange={(event) => setKey(event.target.value)}>
          <option value="">{amounts ? 'choose one' : 'looking …'}</option>
          {amounts?.map(({ field }) => (
            <option key={field}>{field}</option>
          ))}
        </select>
      </label>
      {amounts?.length === 0 && <p className="dim">No request in the lit window carries a number.</p>}
      {key !== '' && cost.error && <p className="dim">{cost.error.message}</p>}
      {key !== '' && !cost.data && !cost.error && <p className="dim">Adding up …</p>}
      {key !== '' && cost.data && <Told cost={cost.data} />}
    </section>
  );
}

function Told({ cost }: { cost: NonNullable<ReturnType<typeof useCost>['data']> }) {
  const round = (value: number) => formatCount(Math.round(value)).replace('-', '−');
  const most = Math.max(...cost.amounts, cost.expectedAmount ?? 0, 1);
  const wide = 260 / cost.amounts.length;
  const usual = cost.expectedAmount === null ? undefined : HIGH - (cost.expectedAmount / most) * HIGH;
  return (
    <>
      <DragToLight>
        <svg
          width="100%"
          height={HIGH}
          viewBox={`0 0 260 ${HIGH}`}
          preserveAspectRatio="none"
          role="img"
          aria-label={`by ${cost.stepMinutes === 1 ? 'the minute' : `${cost.stepMinutes} minutes`}: ${cost.amounts.map(Math.round).join(', ')}`}
        >
          {cost.amounts.map((value, at) => (
            <rect
              // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its step
              key={at}
              x={at * wide}
              width={Math.max(0.5, wide - 0.5)}
              y={HIGH - (value / most) * HIGH}
              height={(value / most) * HIGH}
              fill="var(--lit)"
            />
          ))}
          {usual !== undefined && <line x1={0} x2={260} y1={usual} y2={usual} stroke="var(--before)" strokeDasharray="4 3" />}
        </svg>
      </DragToLight>
      {cost.difference === null || cost.expected === null ? (
        <p className="dim">Too little of {cost.reference} is stored to compute an expectation.</p>
      ) : (
        <p>
          <b className="mono">
            {cost.difference > 0 ? '+' : ''}
            {round(cost.difference)}
          </b>{' '}
          <span className="dim">
            ({round(cost.least!)} to {round(cost.most!)}): {round(cost.actual)} against {round(cost.expected)} by {cost.reference}
          </span>
        </p>
      )}
      <p className="dim">Of requests that went well; narrow to an entry to count each amount once.</p>
    </>
  );
}
