import { useState } from 'react';
import type { LogOverview } from '../../api/logs/overview.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { withValueTurned } from '../../core/scope/scope.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Logs.module.css';
import { harmless, type LogField, shortened } from './words.ts';

/** The fields that lines carry, before above, lit below: new and moved ones first. A value that is chosen is a chip of every page. */
export function FieldList({
  answer,
  column,
  columns,
}: {
  answer: LogOverview;
  column: (field: string) => void;
  columns: readonly string[];
}) {
  const [open, setOpen] = useState<string>();
  const [all, setAll] = useState(false);
  const shown = all ? answer.fields : answer.fields.slice(0, 12);
  return (
    <section className={styles.fields} aria-label="Fields">
      <h2>
        Fields <small>before above, lit below</small>
      </h2>
      {shown.map((field, at) => (
        <Field
          key={field.field}
          field={field}
          isOpen={open === undefined ? at === 0 && field.state !== 'flat' : open === field.field}
          toggle={() => setOpen(open === field.field ? '' : field.field)}
          isColumn={columns.includes(field.field)}
          column={() => column(field.field)}
        />
      ))}
      {answer.fields.length > 12 && (
        <button type="button" className={styles.more} onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${answer.fields.length - 12} more`}
        </button>
      )}
    </section>
  );
}

interface FieldProps {
  readonly field: LogField;
  readonly isOpen: boolean;
  readonly toggle: () => void;
  readonly isColumn: boolean;
  readonly column: () => void;
}

function Field({ field: { field, state, top, lit, before, distinct, many }, isOpen, toggle, isColumn, column }: FieldProps) {
  const { scope, change } = useScope();
  return (
    <div className={styles.field}>
      <button type="button" aria-expanded={isOpen} onClick={toggle} title={field}>
        <span>{shortened(field, 22)}</span>
        <small data-state={state}>{state === 'flat' ? (many ? `over ${distinct} values` : 'flat') : state}</small>
      </button>
      {(['before', 'lit'] as const).map((side) => {
        const all = side === 'lit' ? lit : before;
        return (
          <span key={side} className={styles.stripe} data-side={side}>
            {all > 0 && top.map((it) => <i key={it.value} style={{ width: `${(100 * it[side]) / all}%` }} />)}
          </span>
        );
      })}
      {isOpen && (
        <ul>
          {top.map((it) => (
            <li key={it.value}>
              <button
                type="button"
                title={`narrow to ${field} is ${it.value}`}
                onClick={() => change(withValueTurned(scope, field, it.value))}
              >
                {harmless(shortened(it.value, 18))}
              </button>
              <span className="mono">
                <i>{formatCount(it.before)}</i> → <em>{formatCount(it.lit)}</em>
              </span>
            </li>
          ))}
          <li>
            <button type="button" aria-pressed={isColumn} onClick={column}>
              {isColumn ? 'not a column' : 'as a column of lines'}
            </button>
          </li>
        </ul>
      )}
    </div>
  );
}
