import { type FormEvent, useState } from 'react';
import type { EnvironmentRoles as Given, Role } from '../../core/accounts/role.ts';
import { useEnvironments } from '../../ui/queries/fields.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { EnvironmentField } from './EnvironmentField.tsx';
import { RoleChoice } from './RoleChoice.tsx';

interface EnvironmentRolesProps {
  readonly name: string;
  /** Everywhere else. */
  readonly role: Role;
  readonly given: Given;
  readonly set: (given: Given) => void;
}

/** In which environments somebody has another role than elsewhere. */
export function EnvironmentRoles({ name, role, given, set }: EnvironmentRolesProps) {
  const known = useEnvironments().data?.environments ?? [];
  const [environment, setEnvironment] = useState('');
  const [other, setOther] = useState<Role>('reader');
  const rows = Object.entries(given).sort(([a], [b]) => (a < b ? -1 : 1));
  const add = (event: FormEvent) => {
    event.preventDefault();
    set({ ...given, [environment.trim()]: other });
    setEnvironment('');
  };
  return (
    <section className={styles.below}>
      <h3>Other roles by environment</h3>
      {rows.length === 0 && <p className="dim">None: {role} everywhere.</p>}
      {rows.map(([it, its]) => (
        <div key={it} className={styles.pair}>
          <span>{it}</span>
          <RoleChoice
            label={`Role of ${name} in ${it}`}
            isLabelUnseen
            value={its}
            set={(next) => set({ ...given, [it]: next })}
          />
          <button
            type="button"
            className={intake.action}
            aria-label={`Take out ${it}`}
            onClick={() => set(Object.fromEntries(rows.filter(([at]) => at !== it)))}
          >
            take out
          </button>
        </div>
      ))}
      <form className={styles.form} onSubmit={add}>
        <EnvironmentField value={environment} known={known.filter((it) => !Object.hasOwn(given, it))} set={setEnvironment} />
        <RoleChoice label="Role there" value={other} set={setOther} />
        <button type="submit" className={intake.action}>
          Add
        </button>
      </form>
      <p className="dim">
        It counts for what is done to something of that environment: stacks and profiles of its processes, statements on its
        servers, tokens of its senders. Looking is not divided by environment.
      </p>
    </section>
  );
}
