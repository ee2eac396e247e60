import { z } from 'zod';
import { type Blocked, blockingTrees } from '../../core/database/blockingTree.ts';
import { isActive, type SampledSecond, type SampledSession, traceOf } from '../../core/database/sampledSecond.ts';
import { namedStatements } from '../../store/databases/statements.ts';

const session = z.object({
  session: z.string(),
  database: z.string(),
  user: z.string(),
  program: z.string(),
  client: z.string(),
  backend: z.string(),
  state: z.string(),
  waitClass: z.string(),
  waitEvent: z.string(),
  statementId: z.string(),
  statement: z.string().meta({ description: 'Such as "UPDATE booking".' }),
  detail: z.string(),
  text: z.string(),
  traceId: z.string(),
  spanId: z.string(),
  sinceMs: z.number().nullable().meta({ description: 'In this state for so long, at that moment.' }),
  transactionMs: z.number().nullable(),
  blockedBy: z.array(z.string()),
});

/** All sessions of a server at one moment, and who waits for whom. */
export const momentAnswer = z.object({
  at: z.number().meta({ description: 'Epoch milliseconds.' }),
  active: z.number(),
  blocked: z.number(),
  heldOpen: z.number(),
  idle: z.number(),
  most: z.number(),
  sessions: z.array(session),
  trees: z
    .array(z.object({ session: z.string(), depth: z.number(), behind: z.number() }))
    .meta({ description: 'Blocking trees, each node before those that wait for it; roots have depth 0.' }),
});

export type DatabaseMoment = z.output<typeof momentAnswer>;

/** Describes a sampled second. */
export async function describeMoment({ timeNs, idle, most, sessions }: SampledSecond): Promise<DatabaseMoment> {
  const named = await namedStatements(sessions.map(({ statementId }) => statementId));
  return {
    at: Number(timeNs / 1_000_000n),
    active: sessions.filter(isActive).length,
    blocked: sessions.filter(({ blockedBy }) => blockedBy.length > 0).length,
    heldOpen: sessions.filter(({ state }) => state.startsWith('idle in transaction')).length,
    idle,
    most,
    sessions: sessions.map(({ traceparent, blockedBy, ...it }) => {
      const trace = traceOf({ traceparent });
      const { name = '', detail = '', text = '' } = named.get(it.statementId) ?? {};
      return {
        ...it,
        blockedBy: [...blockedBy],
        statement: name,
        detail,
        text,
        traceId: trace?.traceId ?? '',
        spanId: trace?.spanId ?? '',
      };
    }),
    trees: blockingTrees(sessions).flatMap((tree) => flattened(tree)),
  };
}

function flattened({ session: of, waiting, behind }: Blocked<SampledSession>, depth = 0): DatabaseMoment['trees'] {
  return [{ session: of.session, depth, behind }, ...waiting.flatMap((it) => flattened(it, depth + 1))];
}
