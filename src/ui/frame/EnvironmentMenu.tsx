import { useRef, useState } from 'react';
import { condition } from '../../core/scope/condition.ts';
import { chosenValue, withChip, withoutField } from '../../core/scope/scope.ts';
import { Dropdown } from '../menu/Dropdown.tsx';
import { useEnvironments } from '../queries/fields.ts';
import { useScope } from '../state/scopeState.ts';
import styles from './NarrowMenu.module.css';
import bar from './ScopeBar.module.css';

/** The attribute by which environments are distinguished. */
export const ENVIRONMENT = 'deployment.environment.name';

/** The environment that is looked at; with a single one there is nothing to choose. */
export function EnvironmentMenu() {
  const { scope, change } = useScope();
  const known = useEnvironments().data?.environments ?? [];
  const [open, setOpen] = useState(false);
  const at = useRef<HTMLButtonElement>(null);
  const chosen = chosenValue(scope, ENVIRONMENT);
  const shown = chosen ?? (known.length === 1 ? known[0] : 'all');
  if (known.length <= 1)
    return (
      <span className={bar.chip} title="The environment that data comes from">
        <span className={bar.field}>env</span>
        <b className={bar.only}>{shown}</b>
      </span>
    );
  const pick = (value: string | undefined) => {
    const without = withoutField(scope, ENVIRONMENT);
    change(value === undefined ? without : withChip(without, condition(ENVIRONMENT, 'is', value)));
    setOpen(false);
  };
  return (
    <>
      <button ref={at} type="button" className={bar.chip} aria-expanded={open} onClick={() => setOpen(!open)}>
        <span className={bar.field}>env</span>
        <b className={bar.only}>{shown}</b>
      </button>
      <Dropdown at={at} isOpen={open} close={() => setOpen(false)}>
        <div className={styles.offered}>
          <button type="button" onClick={() => pick(undefined)}>
            <span>all</span>
          </button>
          {known.map((it) => (
            <button key={it} type="button" onClick={() => pick(it)}>
              <span>{it}</span>
            </button>
          ))}
        </div>
      </Dropdown>
    </>
  );
}
