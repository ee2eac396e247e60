import { z } from 'zod';
import { LONG_ENOUGH_MS, missingIndexes, unusedIndexes } from '../../core/database/indexAdvice.ts';
import { parsePlan } from '../../core/database/planTree.ts';
import { plansInForce } from '../../store/databases/plans.ts';
import { statementCosts } from '../../store/databases/statementCounters.ts';
import { namedStatements } from '../../store/databases/statements.ts';
import { indexFacts, tableFacts } from '../../store/databases/tablesAndIndexes.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type DatabaseIndexes = z.output<typeof databaseIndexes.answer>;

/** Whether an index is used is looked at over so long a time before the end of the lit window. */
const USED_NS = 7n * 86_400_000_000_000n;
const MOST_LISTED = 100;

const perMinute = z.number().nullable();

export const databaseIndexes = endpoint({
  path: '/api/databases/{name}/indexes',
  least: 'reader',
  summary:
    'Indexes of a server: those that the plans in force lack, with what each would save and cost, and those that nothing looked into for a day at least.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string() }),
  answer: z.object({
    litWindow: windowAnswer,
    plans: z.int().meta({ description: 'Statements of which a plan and the cost of a call are known.' }),
    missing: z.array(
      z.object({
        table: z.string(),
        columns: z.array(z.string()),
        rows: z.number().nullable(),
        sessions: z.number().meta({ description: 'Average active sessions that look for rows there without it.' }),
        saves: z.number().meta({ description: 'Of these, what it would save at most.' }),
        changedPerMinute: perMinute.meta({ description: 'Rows that change, each written into one index more.' }),
        statements: z.array(
          z.object({
            id: z.string(),
            name: z.string(),
            detail: z.string(),
            sessions: z.number(),
            blocks: z.number().meta({ description: 'That a call looks at there.' }),
            least: z.number().meta({ description: 'That it would look at with the index, by the rows that its plan expects.' }),
          }),
        ),
      }),
    ),
    unused: z.array(
      z.object({
        table: z.string(),
        name: z.string(),
        bytes: z.number(),
        unique: z.boolean().nullable().meta({ description: 'null where it is not told whether it keeps values unique.' }),
        changedPerMinute: perMinute,
      }),
    ),
    indexes: z.int().meta({ description: 'Indexes that are counted.' }),
    bytes: z.number().meta({ description: 'All of them together.' }),
    observedMs: z.number(),
    isLongEnough: z.boolean().meta({ description: 'Whether they were counted for a day at least.' }),
  }),
  run: async ({ name, ...query }) => {
    const { lit } = await windowsOf(query);
    const [plans, costs, tables, indexes] = await Promise.all([
      plansInForce(name, lit.to),
      statementCosts(name, lit.from, lit.to),
      tableFacts(name, lit.from, lit.to),
      indexFacts(name, lit.to - USED_NS, lit.to),
    ]);
    const ms = Number((lit.to - lit.from) / 1_000_000n);
    const planned = [...plans].flatMap(([id, text]) => {
      const [plan, cost] = [parsePlan(text), costs.get(id)];
      if (!plan || !cost || !(cost.calls > 0)) return [];
      return [{ id, plan, sessions: cost.totalMs / ms, blocks: (cost.blocksHit + cost.blocksRead) / cost.calls }];
    });
    const missing = missingIndexes(planned, tables).slice(0, MOST_LISTED);
    const names = await namedStatements(missing.flatMap(({ statements }) => statements.map(({ id }) => id)));
    const observedMs = Math.max(0, ...indexes.map((it) => it.observedMs));
    return {
      litWindow: describeWindow(lit),
      plans: planned.length,
      missing: missing.map((it) => ({
        ...it,
        columns: [...it.columns],
        statements: it.statements.map((of) => ({
          ...of,
          name: names.get(of.id)?.name ?? of.id,
          detail: names.get(of.id)?.detail ?? '',
        })),
      })),
      unused: unusedIndexes(indexes, tables)
        .slice(0, MOST_LISTED)
        .map(({ table, name: index, bytes, unique, changedPerMinute }) => ({
          table,
          name: index,
          bytes,
          unique,
          changedPerMinute,
        })),
      indexes: indexes.length,
      bytes: indexes.reduce((sum, { bytes }) => sum + bytes, 0),
      observedMs,
      isLongEnough: observedMs >= LONG_ENOUGH_MS,
    };
  },
});
