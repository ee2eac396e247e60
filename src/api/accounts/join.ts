import { z } from 'zod';
import { ROLES } from '../../core/accounts/role.ts';
import { LONGEST_PASSWORD, SHORTEST_PASSWORD, setPassword } from '../../server/accounts/signIn.ts';
import { Tries } from '../../server/accounts/tries.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { invitationOf, takeInvitation } from '../../store/accounts/invitations.ts';
import { changePerson, endSessions } from '../../store/accounts/people.ts';
import { removeSecondFactor } from '../../store/accounts/secondFactor.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { noteDone } from './noteDone.ts';

const token = z.string().min(10).max(200);
const NO_LINK = 'This link is not good any more: it was used, taken back, or is over seven days old. Ask for another.';

/** Looking at links, and using them, takes work: of one address so often a minute. */
const tries = new Tries();
const RULE = { window: 60, max: 20 };

function boundTries(): void {
  const seconds = tries.take(currentRequest()?.address ?? '', RULE);
  if (seconds > 0) throw new ApiError(429, `Too often. Try again in ${seconds} s.`);
}

export const lookAtInvitation = endpoint({
  method: 'POST',
  path: '/api/account/invitation',
  least: 'anyone',
  summary: 'For whom a link is, before it is used.',
  query: z.strictObject({ token }),
  answer: z.object({ email: z.string(), role: z.enum(ROLES), isRecovery: z.boolean(), by: z.string() }),
  run: async ({ token }) => {
    boundTries();
    const found = await invitationOf(token);
    if (!found) throw new ApiError(404, NO_LINK);
    return { email: found.email, role: found.role, by: found.by, isRecovery: found.userId !== null };
  },
});

/** Passwords that everybody tries first, and what is near them here. */
const GUESSED = /^(.)\1+$|password|passwort|kennwort|123456|qwert|letmein|dusk ?lantern|administrator/i;

/** What is wrong with a password; undefined when nothing is. */
export function passwordFault(password: string, email: string): string | undefined {
  if (password.length < SHORTEST_PASSWORD)
    return `A password has ${SHORTEST_PASSWORD} characters or more; several words are easy to keep.`;
  if (GUESSED.test(password))
    return 'This is what everybody tries first. Take several words that nobody else would put together.';
  const own = email.split('@')[0].toLowerCase();
  if (own.length > 3 && password.toLowerCase().includes(own)) return 'A password does not hold your own address.';
  return undefined;
}

export const joinByInvitation = endpoint({
  method: 'POST',
  path: '/api/account/join',
  least: 'anyone',
  summary: 'Uses a link: sets name and password of somebody new, or a new password.',
  query: z.strictObject({
    token,
    name: z.string().trim().max(80).default(''),
    email: z.email().max(200).optional().meta({ description: 'Where the link is for no address in particular.' }),
    password: z.string().max(LONGEST_PASSWORD),
  }),
  answer: z.object({ email: z.string() }),
  run: async ({ token, name, email: given, password }) => {
    boundTries();
    // Nothing is used up by a password that is not taken.
    const looked = await invitationOf(token);
    if (!looked) throw new ApiError(404, NO_LINK);
    const email = (looked.email || given || '').toLowerCase();
    if (email === '') throw new ApiError(400, 'Say the address of mail that you will sign in with.');
    const fault = passwordFault(password, email);
    if (fault) throw new ApiError(400, fault);
    if (looked.userId === null && name === '') throw new ApiError(400, 'Say how others are to call you.');
    const used = await takeInvitation(token);
    if (!used) throw new ApiError(404, NO_LINK);
    const id = await setPassword({ ...used, email, name }, password);
    if (used.email === '') {
      // Of the command line: whoever has it comes in, also where they had lost everything they came in by.
      await changePerson(id, { role: used.role, disabled: false });
      await removeSecondFactor(id);
    }
    await endSessions(id);
    await noteDone(used.userId === null ? 'joined' : 'set a new password', { email, role: used.role, by: used.by }, 200, {
      id,
      name: name || email,
    });
    return { email };
  },
});
