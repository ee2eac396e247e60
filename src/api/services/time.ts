import { z } from 'zod';
import { condition } from '../../core/scope/condition.ts';
import { timeWithinServices } from '../../store/requests/timeWithinServices.ts';
import { comparisonParameters, type Window, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';
import { describeTime, time } from '../map/starts.ts';

export type ServiceTime = z.output<typeof serviceTime.answer>;

export const serviceTime = endpoint({
  path: '/api/services/{name}/time',
  least: 'reader',
  summary: 'Where the time of a service’s requests goes, lit against before, over all requests that it takes part in.',
  runs: 'analysis',
  query: z.strictObject({ ...comparisonParameters, name: z.string() }),
  answer: z.object({
    lit: time.nullable(),
    before: time.nullable(),
    requests: z.object({ lit: z.int(), before: z.int() }),
  }),
  run: async ({ name, ...query }) => {
    const windows = await windowsOf(query);
    const side = (window: Window) =>
      timeWithinServices({ ...window, where: [...(window.where ?? []), condition('service', 'is', name)] });
    const lit = await side(windows.lit);
    const before = await side(windows.before);
    return {
      lit: describeTime(lit.services.get(name)),
      before: describeTime(before.services.get(name)),
      requests: { lit: lit.total, before: before.total },
    };
  },
});
