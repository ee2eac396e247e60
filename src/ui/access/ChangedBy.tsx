import type { ReactNode } from 'react';
import type { Role } from '../../core/accounts/role.ts';
import { useMay } from '../state/who.ts';
import styles from './ChangedBy.module.css';

interface ChangedByProps {
  readonly least: Role;
  /** Of what they change; empty for none. */
  readonly environment?: string;
  /** What those who may not are told, where they would wonder. */
  readonly words?: string;
  readonly children: ReactNode;
}

/** Controls that take a role: the others see what is set, and cannot change it. */
export function ChangedBy({ least, environment = '', words = '', children }: ChangedByProps) {
  const may = useMay(least, environment);
  return (
    <fieldset className={styles.controls} disabled={!may}>
      {!may && words !== '' && <p className="dim">{words}</p>}
      {children}
    </fieldset>
  );
}
