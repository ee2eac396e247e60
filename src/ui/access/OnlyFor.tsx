import type { ReactNode } from 'react';
import type { Role } from '../../core/accounts/role.ts';
import { useMay, useMaySomewhere } from '../state/who.ts';

interface OnlyForProps {
  readonly least: Role;
  /** Of what it is done to; `true` for what may be of any. */
  readonly environment?: string | true;
  readonly children: ReactNode;
}

/** What is of use only to those of a role: nobody else sees it. */
export function OnlyFor({ least, environment = '', children }: OnlyForProps) {
  const may = useMay(least, environment === true ? '' : environment);
  const maySomewhere = useMaySomewhere(least);
  return (environment === true ? maySomewhere : may) ? children : null;
}
