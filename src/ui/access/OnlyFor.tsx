import type { ReactNode } from 'react';
import type { Role } from '../../core/accounts/role.ts';
import { useMay } from '../state/who.ts';

/** What is of use only to those of a role: nobody else sees it. */
export function OnlyFor({ least, children }: { least: Role; children: ReactNode }) {
  return useMay(least) ? children : null;
}
