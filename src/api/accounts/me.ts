import Bowser from 'bowser';
import { z } from 'zod';
import { isAtLeast, ROLES } from '../../core/accounts/role.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { currentRequest, type Who, whoAsks } from '../../server/requests/requestContext.ts';
import { endSessions, people, sessionsOf } from '../../store/accounts/people.ts';
import { endProgramToken, makeProgramToken, programTokensOf } from '../../store/accounts/programTokens.ts';
import { ApiError, endpoint } from '../endpoint.ts';

export type Me = z.output<typeof me.answer>;

/** The person who asks. @throws ApiError where there are no accounts */
export async function personAsking(): Promise<Who> {
  const context = currentRequest();
  const who = context && (await whoAsks(context));
  if (!who || who.id === '')
    throw new ApiError(404, 'There are no accounts here: whoever reaches this address may do everything.');
  return who;
}

/** A browser in a few words; what is none as it calls itself. */
function browserOf(userAgent: string): string {
  if (userAgent === '') return 'a program';
  const { browser, os } = Bowser.parse(userAgent.slice(0, 400));
  const name = [browser.name, browser.version?.split('.')[0]].filter(Boolean).join(' ');
  return name === '' ? userAgent.slice(0, 60) : [name, os.name].filter(Boolean).join(' on ');
}

const iso = (date: Date | null) => date?.toISOString() ?? null;

export const me = endpoint({
  path: '/api/account',
  least: 'reader',
  summary: 'Who asks, their open sessions and the tokens of their programs.',
  query: z.strictObject({}),
  answer: z.object({
    accounts: z.boolean().meta({ description: 'Whether people have accounts here.' }),
    name: z.string(),
    email: z.string(),
    role: z.enum(ROLES),
    hasPassword: z.boolean(),
    hasSecondFactor: z.boolean(),
    sessions: z.array(
      z.object({
        id: z.string(),
        isThis: z.boolean(),
        begun: z.string(),
        seen: z.string(),
        address: z.string(),
        browser: z.string(),
      }),
    ),
    tokens: z.array(
      z.object({
        id: z.int(),
        name: z.string(),
        prefix: z.string(),
        role: z.enum(ROLES),
        made: z.string(),
        expires: z.string().nullable(),
        lastUsed: z.string().nullable(),
      }),
    ),
  }),
  run: async () => {
    const nobody = { name: '', email: '', hasPassword: false, hasSecondFactor: false, sessions: [], tokens: [] };
    const context = currentRequest();
    const who = context && (await whoAsks(context));
    if (!areAccountsOn() || !who || who.id === '') return { accounts: areAccountsOn(), role: who?.role ?? 'reader', ...nobody };
    const [all, sessions, tokens] = await Promise.all([people(), sessionsOf(who.id), programTokensOf(who.id)]);
    const person = all.find(({ id }) => id === who.id);
    return {
      accounts: true,
      name: person?.name ?? who.name,
      email: person?.email ?? '',
      role: who.role,
      hasPassword: person?.ways.includes('credential') ?? false,
      hasSecondFactor: person?.hasSecondFactor ?? false,
      sessions: sessions.map((it) => ({
        id: it.id,
        isThis: it.id === who.sessionId,
        begun: it.createdAt.toISOString(),
        seen: it.updatedAt.toISOString(),
        address: it.ipAddress ?? '',
        browser: browserOf(it.userAgent ?? ''),
      })),
      tokens: tokens.map((it) => ({
        id: it.id,
        name: it.name,
        prefix: it.prefix,
        role: it.role,
        made: it.at.toISOString(),
        expires: iso(it.expiresAt),
        lastUsed: iso(it.lastUsed),
      })),
    };
  },
});

export const endOwnSessions = endpoint({
  method: 'POST',
  path: '/api/account/sessions/removal',
  least: 'reader',
  audit: true,
  summary: 'Signs the one who asks out everywhere: everywhere else, or here too.',
  query: z.strictObject({ which: z.enum(['others', 'all']) }),
  answer: z.object({ ended: z.int() }),
  run: async ({ which }) => {
    const who = await personAsking();
    return { ended: await endSessions(who.id, which === 'others' ? who.sessionId : '') };
  },
});

const DAY_MS = 86_400_000;

export const makeOwnToken = endpoint({
  method: 'POST',
  path: '/api/account/tokens',
  least: 'reader',
  audit: true,
  summary: 'Makes a token by which a program asks in the name of the one who asks. It is shown this once.',
  query: z.strictObject({
    name: z.string().trim().min(1).max(80),
    role: z.enum(ROLES),
    days: z.int().min(1).max(366).meta({ description: 'So long it is good.' }),
  }),
  answer: z.object({ id: z.int(), token: z.string() }),
  run: async ({ name, role, days }) => {
    const who = await personAsking();
    // A program that makes programs could not be taken back by taking back its token.
    if (who.via !== 'session') throw new ApiError(403, 'A token cannot make tokens: sign in.');
    if (!isAtLeast(who.role, role)) throw new ApiError(403, `You are ${who.role}: a token of yours cannot be ${role}.`);
    return makeProgramToken(who.id, { name, role, expiresAt: new Date(Date.now() + days * DAY_MS) });
  },
});

export const endOwnToken = endpoint({
  method: 'POST',
  path: '/api/account/tokens/removal',
  least: 'reader',
  audit: true,
  summary: 'Takes a token of a program back.',
  query: z.strictObject({ id: z.int() }),
  answer: z.object({}),
  run: async ({ id }) => {
    if (!(await endProgramToken((await personAsking()).id, id))) throw new ApiError(404, 'You have no such token.');
    return {};
  },
});
