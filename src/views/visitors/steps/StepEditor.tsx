import { useState } from 'react';
import type { VisitorSteps } from '../../../api/visitors/steps.ts';
import { parseSteps, stepsText } from '../../../core/visits/funnel/funnel.ts';
import type { VisitorsOptions } from '../visitorsOptions.ts';
import styles from './Steps.module.css';

interface StepEditorProps {
  readonly answer: VisitorSteps;
  readonly options: VisitorsOptions;
  readonly setOptions: (part: Partial<VisitorsOptions>) => void;
}

/** The steps in their order: put together from what visitors did, or typed; the time in which all are done; counted by visit or user. */
export function StepEditor({ answer, options, setOptions }: StepEditorProps) {
  const [typed, setTyped] = useState<string>();
  const { steps, known, within, per } = answer;
  const write = (next: readonly (typeof steps)[number][]) => setOptions({ steps: stepsText(next), step: '', group: '' });
  const move = (at: number, by: number) => {
    const next = [...steps];
    const [it] = next.splice(at, 1);
    next.splice(at + by, 0, it);
    write(next);
  };
  const left = known.filter((it) => !steps.some(({ kind, name }) => kind === it.kind && name === it.name));
  const isWrong = typed !== undefined && parseSteps(typed) === undefined;
  return (
    <details className={styles.editor} open={steps.length < 2 || undefined}>
      <summary>
        {steps.map(({ name }) => name).join(' › ') || 'no steps yet'}{' '}
        <span className="dim">{answer.chosen ? '' : '(what most visitors press) '}· edit the steps</span>
      </summary>
      <ol>
        {steps.map((step, at) => (
          <li key={`${step.kind} ${step.name}`}>
            <span>
              {step.kind === 'page' ? 'sees ' : 'presses '}
              <b>{step.name}</b>
            </span>
            <button type="button" disabled={at === 0} onClick={() => move(at, -1)}>
              earlier <span className="unseen">{step.name}</span>
            </button>
            <button type="button" disabled={at === steps.length - 1} onClick={() => move(at, 1)}>
              later <span className="unseen">{step.name}</span>
            </button>
            <button type="button" onClick={() => write(steps.filter((_, place) => place !== at))}>
              drop <span className="unseen">{step.name}</span>
            </button>
          </li>
        ))}
      </ol>
      <p>
        <label>
          add{' '}
          <select
            value=""
            onChange={(event) => {
              const it = left[Number(event.target.value)];
              if (it) write([...steps, { kind: it.kind, name: it.name }]);
            }}
          >
            <option value="">a step …</option>
            {left.map((it, at) => (
              <option key={`${it.kind} ${it.name}`} value={at}>
                {it.kind === 'page' ? 'sees' : 'presses'} {it.name} ({it.visits} visits)
              </option>
            ))}
          </select>
        </label>
        <label>
          within{' '}
          <select value={within} onChange={(event) => setOptions({ within: event.target.value })}>
            {[...new Set([5, 15, 30, 60, 240, within])]
              .sort((a, b) => a - b)
              .map((it) => (
                <option key={it} value={it}>
                  {it} min
                </option>
              ))}
          </select>
        </label>
        <label>
          counted by{' '}
          <select value={per} onChange={(event) => setOptions({ per: event.target.value })}>
            <option value="visit">visit</option>
            <option value="user">user</option>
          </select>
        </label>
        {options.steps && (
          <button type="button" onClick={() => setOptions({ steps: '', step: '', group: '' })}>
            what most press
          </button>
        )}
      </p>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (typed !== undefined && !isWrong) {
            setOptions({ steps: typed, step: '', group: '' });
            setTyped(undefined);
          }
        }}
      >
        <label>
          or typed{' '}
          <input
            type="text"
            value={typed ?? answer.text}
            aria-invalid={isWrong}
            onChange={(event) => setTyped(event.target.value)}
            placeholder="action:search>page:/pay"
          />
        </label>
        <button type="submit" disabled={isWrong || typed === undefined}>
          take
        </button>
        {isWrong && <span role="alert">write steps as action:search&gt;page:/pay</span>}
      </form>
    </details>
  );
}
