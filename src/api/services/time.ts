import { z } from 'zod';
import { condition } from '../../core/scope/condition.ts';
import { addTimeWithin, type PartyTime } from '../../core/topology/timeWithin.ts';
import { assemble } from '../../core/trace/assemble.ts';
import { sampleTraces } from '../../store/scope/sampleTraces.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { describeTime, time } from '../map/starts.ts';

export type ServiceTime = z.output<typeof serviceTime.answer>;

/** Traces that are taken of either side. */
const SAMPLE = 300;

export const serviceTime = endpoint({
  path: '/api/services/{name}/time',
  summary:
    'Where the time of a service’s requests goes, lit against before, from a sample of the traces that it takes part in, stratified by duration and outcome.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string() }),
  answer: z.object({
    lit: time.nullable(),
    before: time.nullable(),
    traces: z.object({ lit: z.int(), litOf: z.int(), before: z.int(), beforeOf: z.int() }),
  }),
  run: async ({ name, ...query }) => {
    const windows = await windowsOf(query);
    const side = async (window: Window) => {
      const where = [...(window.where ?? []), condition('service', 'is', name)];
      const { total, traces } = await sampleTraces({ ...window, where }, SAMPLE, 'stratified');
      const sums = new Map<string, PartyTime>();
      for (const { spans, weight } of traces) {
        const trace = assemble(spans);
        if (trace) addTimeWithin(sums, trace, weight);
      }
      return { total, read: traces.length, time: describeTime(sums.get(name)) };
    };
    const [lit, before] = await Promise.all([side(windows.lit), side(windows.before)]);
    return {
      lit: lit.time,
      before: before.time,
      traces: { lit: lit.read, litOf: lit.total, before: before.read, beforeOf: before.total },
    };
  },
});
