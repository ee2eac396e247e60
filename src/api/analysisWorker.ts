import { serveJobs } from '../analysis/serveJobs.ts';
import { giveWay } from '../server/life/giveWay.ts';
import type { Settled } from '../server/life/settling.ts';
import { forRequest } from '../server/selfTrace.ts';
import { watchRound } from '../server/watch/watch.ts';
import { logSegments } from '../store/columns/logSegments.ts';
import { machineSegments } from '../store/columns/machineSegments.ts';
import { profileSegments } from '../store/columns/profileSegments.ts';
import { requestSamples } from '../store/columns/requestSamples.ts';
import { requestSegments } from '../store/columns/requestSegments.ts';
import { sessionHours } from '../store/columns/sessionHours.ts';
import { sessionSegments } from '../store/columns/sessionSegments.ts';
import { trafficHours } from '../store/columns/trafficHours.ts';
import { visitSegments } from '../store/columns/visitSegments.ts';
import { trafficBetween } from '../store/rollups/traffic.ts';
import { jobAnswer } from './endpoint.ts';
import { openApi } from './openapi.ts';
import { endpointOf } from './routes.ts';

/* What a process of the analysis pool does. */

/** In the terms of the operating system: 0 is usual, 19 the nicest to others. */
const NICER = 5;

// Who waits for a page, and what comes in, go before long computations where there is not enough of the machine.
giveWay(NICER);

const A_DAY_NS = 86_400_000_000_000n;

serveJobs({
  answer: async ({ signal, progress }, key: string, query: Record<string, unknown> | string, traceparent: string) => {
    const it = endpointOf(key);
    if (!it) throw new Error(`there is no endpoint ${key}`);
    return forRequest(traceparent, process.env.DUSK_SELF_URL, () => jobAnswer(it, query, { signal, progress }));
  },
  describe: async () => JSON.stringify(openApi()),
  settleColumns: async (_, milliseconds: number): Promise<Settled> => {
    const before = process.cpuUsage();
    // In turns, so that neither waits until the other is done.
    const isMoreOfRequests = await requestSegments.settle(milliseconds / 2);
    const isMoreOfSessions = await sessionSegments.settle(milliseconds / 4);
    const isMore = [
      isMoreOfRequests,
      // What is made by the hour of columns that are not settled would be made again.
      !isMoreOfRequests && (await requestSamples.settle(milliseconds / 4)),
      !isMoreOfRequests && (await trafficHours.settle(milliseconds / 4)),
      await logSegments.settle(milliseconds / 4),
      isMoreOfSessions,
      !isMoreOfSessions && (await sessionHours.settle(milliseconds / 4)),
      await profileSegments.settle(milliseconds / 4),
      await machineSegments.settle(milliseconds / 4),
      await visitSegments.settle(milliseconds / 4),
    ].includes(true);
    const { user, system } = process.cpuUsage(before);
    return { isMore, ownMs: (user + system) / 1000 };
  },
  rememberHours: async () => {
    const now = BigInt(Date.now()) * 1_000_000n;
    await trafficBetween(now - 2n * A_DAY_NS, now);
  },
  watch: async (_, address: string) => watchRound(address),
});
