import { z } from 'zod';
import { isAtLeast, roleIn } from '../../core/accounts/role.ts';
import { SIGNALS } from '../../formats/otlp/wire/messages.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { currentRequest, type Who, whoAsks } from '../../server/requests/requestContext.ts';
import { endSenderToken, environmentOfToken, makeSenderToken, senderTokens } from '../../store/accounts/senderTokens.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { forgetSenderTokens } from '../otlp/admitSender.ts';

const bound = z.int().positive().max(1e12).nullable();
const token = z.object({
  id: z.int(),
  name: z.string(),
  prefix: z.string(),
  environment: z.string().nullable(),
  signals: z.array(z.enum(SIGNALS)),
  bytesPerMinute: bound,
  recordsPerMinute: bound,
  namesPerMinute: bound.meta({ description: 'Of operations, peers, attributes, values, series: those not known before.' }),
  by: z.string(),
  made: z.string(),
  expires: z.string().nullable(),
  isGood: z.boolean().meta({ description: 'Whether it can be sent with now.' }),
  lastUsed: z.string().nullable(),
  refused: z.number(),
});
const answer = z.object({ needed: z.boolean().meta({ description: 'Whether senders need one.' }), tokens: z.array(token) });

export type SenderTokenList = z.output<typeof answer>;

/** Who asks, where that is somebody who is known. */
async function whoDecides(): Promise<Who | undefined> {
  const context = currentRequest();
  return context && (await whoAsks(context));
}

/** An environment in which who asks is an administrator. */
async function anyOfTheirs(): Promise<string> {
  const who = await whoDecides();
  if (!who || isAtLeast(who.role, 'administrator')) return '';
  return Object.keys(who.environments).find((it) => isAtLeast(roleIn(who, it), 'administrator')) ?? '';
}

async function described(): Promise<SenderTokenList> {
  const who = await whoDecides();
  const tokens = (await senderTokens()).filter((it) => !who || isAtLeast(roleIn(who, it.environment ?? ''), 'administrator'));
  return {
    needed: areAccountsOn(),
    tokens: tokens.map(({ at, expiresAt, lastUsed, signals, ...it }) => ({
      ...it,
      signals: SIGNALS.filter((signal) => signals.includes(signal)),
      made: at.toISOString(),
      expires: expiresAt?.toISOString() ?? null,
      isGood: expiresAt === null || expiresAt.getTime() > Date.now(),
      lastUsed: lastUsed?.toISOString() ?? null,
    })),
  };
}

export const listSenderTokens = endpoint({
  path: '/api/intake/tokens',
  least: 'administrator',
  // Whoever decides somewhere sees those that they decide on.
  environmentOf: anyOfTheirs,
  summary: 'The tokens that senders send with: of which environment, for what, how much, and when each was used last.',
  query: z.strictObject({}),
  answer,
  run: described,
});

export const addSenderToken = endpoint({
  method: 'POST',
  path: '/api/intake/tokens',
  least: 'administrator',
  environmentOf: ({ environment }) => environment ?? '',
  summary: 'Makes a token for a sender. It is shown this once.',
  query: z.strictObject({
    name: z.string().trim().min(1).max(80),
    environment: z.string().trim().min(1).max(100).nullable().default(null),
    signals: z
      .array(z.enum(SIGNALS))
      .min(1)
      .default([...SIGNALS]),
    bytesPerMinute: bound.default(null),
    recordsPerMinute: bound.default(null),
    namesPerMinute: bound.default(null),
    days: z.int().min(1).max(3_660).nullable().default(null).meta({ description: 'So long it is good; null for ever.' }),
  }),
  answer: z.object({ id: z.int(), token: z.string() }),
  run: async ({ days, ...it }) => {
    const context = currentRequest();
    const who = context && (await whoAsks(context));
    try {
      return await makeSenderToken({
        ...it,
        by: who?.name ?? '',
        expiresAt: days === null ? null : new Date(Date.now() + days * 86_400_000),
      });
    } finally {
      forgetSenderTokens();
    }
  },
});

export const stopSenderToken = endpoint({
  method: 'POST',
  path: '/api/intake/tokens/end',
  least: 'administrator',
  environmentOf: ({ id }) => environmentOfToken(id),
  summary: 'Ends a token: now, or some hours from now, so that senders can take another before.',
  query: z.strictObject({ id: z.int(), hours: z.number().min(0).max(8_784).default(0) }),
  answer,
  run: async ({ id, hours }) => {
    if (!(await endSenderToken(id, new Date(Date.now() + hours * 3_600_000)))) throw new ApiError(404, 'There is no such token');
    forgetSenderTokens();
    return described();
  },
});
