import { createContext, useContext } from 'react';
import { isAtLeast, type Role } from '../../core/accounts/role.ts';

/** Who is signed in, as their own pages show it. */
export interface SignedIn {
  readonly name: string;
  readonly role: Role;
}

const Who = createContext<SignedIn | undefined>(undefined);
export const WhoProvider = Who.Provider;

/** Who is signed in; undefined where there are no accounts. */
export const useWho = () => useContext(Who);

/** Whether who looks at the page may do what takes this role; everybody may where there are no accounts. */
export function useMay(least: Role): boolean {
  const who = useWho();
  return who === undefined || isAtLeast(who.role, least);
}
