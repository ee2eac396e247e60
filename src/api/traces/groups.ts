import { z } from 'zod';
import { quantiles } from '../../core/measures/sketch.ts';
import { OPERATORS, type Operator } from '../../core/scope/condition.ts';
import { requestGroups, type TraceGroup } from '../../store/requests/requestGroups.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

const figures = z.object({
  calls: z.int(),
  failed: z.int().meta({ description: 'Requests that failed.' }),
  meanNs: z.number().nullable(),
  p50Ns: z.number().nullable(),
  p95Ns: z.number().nullable(),
  p99Ns: z.number().nullable(),
  totalNs: z.number().meta({ description: 'Calls × mean.' }),
});

export type GroupFigures = z.output<typeof figures>;
export type TraceGroups = z.output<typeof groups.answer>;

export const groups = endpoint({
  path: '/api/traces/groups',
  least: 'reader',
  summary: 'Requests by the value of an attribute, or by entry, service, operation, outcome or user, lit against before.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    by: z
      .string()
      .max(200)
      .default('entry')
      .meta({ description: 'entry, service, operation, outcome, user, or the key of an attribute.' }),
  }),
  answer: z.object({
    before: windowAnswer,
    many: z.boolean().meta({ description: 'Whether the key has too many or too long values to list them all.' }),
    groups: z.array(
      z.object({
        value: z.string().nullable(),
        where: z
          .array(z.object({ field: z.string(), operator: z.enum(OPERATORS), values: z.array(z.string()) }))
          .meta({ description: 'The conditions that narrow to the group.' }),
        lit: figures,
        before: figures,
      }),
    ),
  }),
  run: async ({ by, ...query }) => {
    const windows = await windowsOf(query);
    const [lit, before] = await Promise.all([requestGroups(windows.lit, by), requestGroups(windows.before, by)]);
    const earlier = new Map(before.groups.map((group) => [group.value, group]));
    return {
      before: describeWindow(windows.before),
      many: lit.many,
      groups: lit.groups.map((group) => ({
        value: group.value?.replace('\0', ' ') ?? null,
        where: conditionsOf(by, group.value),
        lit: describe(group),
        before: describe(earlier.get(group.value)),
      })),
    };
  },
});

/** The conditions that hold for the requests of a group and for no others. */
function conditionsOf(by: string, value: string | null): { field: string; operator: Operator; values: string[] }[] {
  const is = (field: string, text: string) => ({ field, operator: 'is' as const, values: [text] });
  if (value === null) return [{ field: by, operator: 'is missing', values: [] }];
  if (by === 'outcome') return [is('failed', value === 'fine' ? 'no' : 'yes')];
  if (by !== 'operation') return [is(by, value)];
  const [service, name] = value.split('\0');
  return [is('service', service), is('operation', name)];
}

function describe(group: TraceGroup | undefined): z.input<typeof figures> {
  if (!group) return { calls: 0, failed: 0, meanNs: null, p50Ns: null, p95Ns: null, p99Ns: null, totalNs: 0 };
  const { calls, failed, totalNs, sketch } = group;
  const [p50Ns, p95Ns, p99Ns] = quantiles(sketch, [0.5, 0.95, 0.99]);
  return { calls, failed, meanNs: totalNs / calls, p50Ns, p95Ns, p99Ns, totalNs };
}
