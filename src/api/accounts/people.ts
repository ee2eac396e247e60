import { z } from 'zod';
import { ROLES } from '../../core/accounts/role.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { currentRequest, whoAsks } from '../../server/requests/requestContext.ts';
import { invite, openInvitations, takeBackInvitation } from '../../store/accounts/invitations.ts';
import { changePerson, endSessions, MOST_PEOPLE, people } from '../../store/accounts/people.ts';
import { removeSecondFactor } from '../../store/accounts/secondFactor.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { personAsking } from './me.ts';

const MOST_ENVIRONMENTS = 50;
const environmentRoles = z
  .record(z.string().trim().min(1).max(100), z.enum(ROLES))
  .refine((it) => Object.keys(it).length <= MOST_ENVIRONMENTS, `at most ${MOST_ENVIRONMENTS} environments`)
  .meta({ description: 'By environment, the role there in the place of the general one.' });

const answer = z.object({
  accounts: z.boolean(),
  people: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      email: z.string(),
      role: z.enum(ROLES),
      environments: environmentRoles,
      since: z.string(),
      disabled: z.string().nullable().meta({ description: 'Since when the person may not come in.' }),
      hasSecondFactor: z.boolean(),
      sessions: z.int(),
      ways: z.array(z.string()),
      lastSeen: z.string().nullable(),
      isYou: z.boolean(),
    }),
  ),
  invited: z.array(
    z.object({ email: z.string(), role: z.enum(ROLES), isRecovery: z.boolean(), by: z.string(), expires: z.string() }),
  ),
});

export type PeopleList = z.output<typeof answer>;

async function described(): Promise<PeopleList> {
  const context = currentRequest();
  const [all, invited, who] = await Promise.all([people(), openInvitations(), context && whoAsks(context)]);
  return {
    accounts: areAccountsOn(),
    people: all.map(({ createdAt, disabledAt, lastSeen, ways, ...it }) => ({
      ...it,
      ways: [...ways],
      since: createdAt.toISOString(),
      disabled: disabledAt?.toISOString() ?? null,
      lastSeen: lastSeen?.toISOString() ?? null,
      isYou: it.id === who?.id,
    })),
    invited: invited.map(({ email, role, by, userId, expiresAt }) => ({
      email,
      role,
      by,
      isRecovery: userId !== null,
      expires: expiresAt.toISOString(),
    })),
  };
}

export const listPeople = endpoint({
  path: '/api/people',
  least: 'administrator',
  summary: 'Who may come in, as what, and who is invited.',
  query: z.strictObject({}),
  answer,
  run: described,
});

export const setPerson = endpoint({
  method: 'PUT',
  path: '/api/people/{id}',
  least: 'administrator',
  summary: 'Gives a person another role, or shuts them out or lets them in again. Who may do less is signed out.',
  query: z.strictObject({
    id: z.string().max(100),
    role: z.enum(ROLES).optional(),
    environments: environmentRoles.optional(),
    disabled: z.boolean().optional(),
  }),
  answer,
  run: async ({ id, ...change }) => {
    if (!(await changePerson(id, change))) throw new ApiError(404, 'There is no such person');
    return described();
  },
});

const link = z.object({
  path: z.string().meta({ description: 'Of the link that is to be handed to the person. It is shown this once.' }),
});
const email = z
  .email()
  .max(200)
  .transform((it) => it.toLowerCase());

async function linkFor(it: Parameters<typeof invite>[0]): Promise<{ path: string }> {
  return { path: `/join/${await invite(it)}` };
}

export const invitePerson = endpoint({
  method: 'POST',
  path: '/api/people/invitations',
  least: 'administrator',
  summary: 'Makes a link by which somebody new comes in, good for seven days and once.',
  query: z.strictObject({ email, role: z.enum(ROLES) }),
  answer: link,
  run: async ({ email, role }) => {
    const who = await personAsking();
    const all = await people();
    if (all.some((it) => it.email === email))
      throw new ApiError(409, `${email} has an account already. Make a link for a new password beside their name.`);
    if (all.length >= MOST_PEOPLE) throw new ApiError(409, `There are ${all.length} people, which is as many as there may be.`);
    return linkFor({ email, role, userId: null, by: who.name });
  },
});

export const recoverPerson = endpoint({
  method: 'POST',
  path: '/api/people/{id}/recovery',
  least: 'administrator',
  summary: 'Makes a link by which a person sets a new password; their sessions and their second factor end.',
  query: z.strictObject({ id: z.string().max(100) }),
  answer: link,
  run: async ({ id }) => {
    const who = await personAsking();
    const person = (await people()).find((it) => it.id === id);
    if (!person) throw new ApiError(404, 'There is no such person');
    await removeSecondFactor(id);
    await endSessions(id);
    return linkFor({ email: person.email, role: person.role, userId: id, by: who.name });
  },
});

export const takeInvitationBack = endpoint({
  method: 'POST',
  path: '/api/people/invitations/removal',
  least: 'administrator',
  summary: 'Takes a link back that was not used.',
  query: z.strictObject({ email }),
  answer,
  run: async ({ email }) => {
    if (!(await takeBackInvitation(email))) throw new ApiError(404, `No link is open for ${email}.`);
    return described();
  },
});
