import { lesser } from '../../core/accounts/role.ts';
import { personOf } from '../../store/accounts/people.ts';
import { programOf } from '../../store/accounts/programTokens.ts';
import type { Who } from '../requests/requestContext.ts';
import { areAccountsOn, bearerToken, isOwnToken } from './accountsOn.ts';
import { sessionOf } from './signIn.ts';

const EVERYBODY: Who = { id: '', name: '', role: 'administrator', environments: {}, via: 'no accounts' };
const ITSELF: Who = { id: '', name: '', role: 'administrator', environments: {}, via: 'itself' };

/**
 * Who sends a request: by a token in its head, or by the cookie of a session. Undefined for somebody who is not known.
 *
 * @param prolong is given the cookies by which a session is prolonged
 */
export async function identify(headers: Headers, prolong: (cookies: readonly string[]) => void): Promise<Who | undefined> {
  if (!areAccountsOn()) return EVERYBODY;
  const token = bearerToken(headers);
  if (token !== '') {
    if (isOwnToken(token)) return ITSELF;
    const program = await programOf(token);
    if (!program) return undefined;
    const { userId, userName, name, role, userRole, userEnvironments } = program;
    // A program is never more than the person in whose name it asks.
    const environments = Object.fromEntries(Object.entries(userEnvironments).map(([it, own]) => [it, lesser(role, own)]));
    return { id: userId, name: `${userName} (${name})`, role: lesser(role, userRole), environments, via: 'program' };
  }
  const found = await sessionOf(headers);
  const person = found && (await personOf(found.user.id));
  if (!found || !person || person.disabled) return undefined;
  prolong(found.setCookies);
  return {
    id: found.user.id,
    name: person.name,
    role: person.role,
    environments: person.environments,
    via: 'session',
    sessionId: found.session.id,
  };
}
