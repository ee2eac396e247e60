import { createContext, useContext } from 'react';
import { isAtLeast, isAtLeastSomewhere, type Role, type Roles, roleIn } from '../../core/accounts/role.ts';

/** Who is signed in, as their own pages show it. */
export interface SignedIn extends Roles {
  readonly name: string;
}

const Who = createContext<SignedIn | undefined>(undefined);
export const WhoProvider = Who.Provider;

/** Who is signed in; undefined where there are no accounts. */
export const useWho = () => useContext(Who);

/** Whether somebody may do what takes a role in an environment; everybody may where there are no accounts. @param environment empty for none */
export function mayIn(who: SignedIn | undefined, least: Role, environment: string): boolean {
  return who === undefined || isAtLeast(roleIn(who, environment), least);
}

/**
 * Whether who looks at the page may do what takes this role; everybody may where there are no accounts.
 *
 * @param environment of what it is done to, where it is of one
 */
export function useMay(least: Role, environment = ''): boolean {
  return mayIn(useWho(), least, environment);
}

/** The same for what is of no environment yet, or of several: whether they may in one at least. */
export function useMaySomewhere(least: Role): boolean {
  const who = useWho();
  return who === undefined || isAtLeastSomewhere(who, least);
}
