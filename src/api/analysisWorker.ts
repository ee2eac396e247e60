import { serveJobs } from '../analysis/serveJobs.ts';
import { forRequest } from '../server/selfTrace.ts';
import type { Settled } from '../server/settling.ts';
import { watchRound } from '../server/watch/watch.ts';
import { settleSlots } from '../store/columns/requestSegments.ts';
import { jobAnswer } from './endpoint.ts';
import { endpointOf } from './routes.ts';

/* What a process of the analysis pool does. */

serveJobs({
  answer: async ({ signal }, key: string, query: Record<string, unknown>, traceparent: string) => {
    const it = endpointOf(key);
    if (!it) throw new Error(`there is no endpoint ${key}`);
    return forRequest(traceparent, process.env.DUSK_SELF_URL, () => jobAnswer(it, query, { signal }));
  },
  settleColumns: async (_, milliseconds: number): Promise<Settled> => {
    const before = process.cpuUsage();
    const isMore = await settleSlots(milliseconds);
    const { user, system } = process.cpuUsage(before);
    return { isMore, ownMs: (user + system) / 1000 };
  },
  watch: async (_, address: string) => watchRound(address),
});
