import { useState } from 'react';
import type { DatabaseStatement } from '../../api/databases/statement.ts';
import { type PlanNode, parsePlan } from '../../core/database/planTree.ts';
import { dayTime } from '../../core/time/clock.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Statement.module.css';
import { amount, callTime } from './words.ts';

type Plan = DatabaseStatement['plans'][number];

/** The plans that were in force, the last first: as a tree, and as the server wrote them. */
export function Plans({ plans, now }: { readonly plans: readonly Plan[]; readonly now: number }) {
  const zone = useZone();
  const [form, setForm] = useState<'tree' | 'json'>('tree');
  const latestFirst = [...plans].reverse().slice(0, 4);
  if (plans.length === 0)
    return <p className="dim">No plan was sent for it. The sampler sends plans when it may read the tables (--plans).</p>;
  return (
    <>
      <div className={styles.forms} role="group" aria-label="Show plans as">
        {(['tree', 'json'] as const).map((it) => (
          <button key={it} type="button" aria-pressed={it === form} onClick={() => setForm(it)}>
            {it === 'tree' ? 'as a tree' : 'as JSON'}
          </button>
        ))}
      </div>
      <div className={styles.plans}>
        {latestFirst.map((it, at) => {
          const root = parsePlan(it.plan);
          return (
            <article key={`${it.planId} ${it.at}`} data-current={at === 0}>
              <h3>
                {at === 0 ? 'in force' : 'before it'}{' '}
                <span className="dim">
                  since {dayTime(it.at, zone, now)}, cost {amount(it.cost)}
                </span>
              </h3>
              {it.difference.length > 0 && (
                <p className={styles.difference}>
                  {it.difference.join('; ')}
                  {it.meanBeforeMs !== null && it.meanAfterMs !== null && (
                    <>
                      {' '}
                      <b className="mono">
                        {callTime(it.meanBeforeMs)} → {callTime(it.meanAfterMs)}
                      </b>{' '}
                      a call, half an hour before and after
                    </>
                  )}
                </p>
              )}
              {root && form === 'tree' ? (
                <ul className={styles.tree}>
                  <Step step={root} whole={root.cost} />
                </ul>
              ) : (
                <pre>{pretty(it.plan)}</pre>
              )}
            </article>
          );
        })}
      </div>
    </>
  );
}

function pretty(json: string): string {
  try {
    return JSON.stringify(JSON.parse(json), null, 1);
  } catch {
    return json;
  }
}

/** One step with those below it; the bar is its own part of the cost. */
function Step({ step, whole }: { readonly step: PlanNode; readonly whole: number }) {
  return (
    <li>
      <div className={styles.step}>
        <b>{step.type}</b> <code>{step.on}</code>
        <span className="mono">
          {amount(step.rows)} rows
          {step.seenRows !== null && `, ${amount(step.seenRows)} seen`}
          {step.seenMs !== null && `, ${callTime(step.seenMs)}`}
        </span>
        <i style={{ width: `${(100 * step.ownCost) / Math.max(whole, 1e-9)}%` }} title={`own cost ${amount(step.ownCost)}`} />
        {step.conditions.map((it) => (
          <small key={it}>{it}</small>
        ))}
      </div>
      {step.children.length > 0 && (
        <ul>
          {step.children.map((it, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place in the plan
            <Step key={at} step={it} whole={whole} />
          ))}
        </ul>
      )}
    </li>
  );
}
