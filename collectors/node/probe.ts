import { monitorEventLoopDelay, PerformanceObserver } from 'node:perf_hooks';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import { followProgram } from './follow.ts';
import {
  currentRequest,
  type EndedRequest,
  ended,
  followTurns,
  hasSdk,
  lately,
  reportAll,
  running,
  sampledRequests,
  seenRequests,
  watchTurns,
} from './registry.ts';
import { readSettings } from './settings.ts';
import { ENDED, ENDING, MOST_TURNS, monotonicMs, RECORDING, turnBuffers, turnMemory, WRITTEN } from './turns.ts';

/*
 * The probe's part in the program's own thread: it notes which requests run and what they wait for. All else, asking, taking stacks and
 * profiles, sending, is done by a thread of its own, which works on when this one is blocked.
 */

const settings = readSettings(process.env, process.argv[1]);
const buffers = turnBuffers();
const memory = turnMemory(buffers);
/** How often the program shows that its event loop turns. */
const ALIVE_MS = 50;

reportAll(settings.allSpans);
followProgram();

let lastId = -1;
watchTurns((request) => {
  if (memory.state[RECORDING] !== 1) return;
  const id = request?.id ?? 0;
  if (id === lastId) return;
  lastId = id;
  const at = memory.state[WRITTEN] % MOST_TURNS;
  memory.times[at] = monotonicMs();
  memory.ids[at] = id;
  memory.state[WRITTEN]++;
});

const delay = monitorEventLoopDelay({ resolution: 20 });
delay.enable();
const collections = { count: 0, ms: 0 };
new PerformanceObserver((list) => {
  for (const { duration } of list.getEntries()) {
    collections.count++;
    collections.ms += duration;
  }
}).observe({ entryTypes: ['gc'] });

setInterval(() => {
  memory.alive[0] = monotonicMs();
}, ALIVE_MS).unref();
memory.alive[0] = monotonicMs();

function described({ request, endedAt, status }: EndedRequest) {
  const { operation, traceId, spanId, parentSpanId, beganAt } = request;
  return { operation, traceId, spanId, parentSpanId, beganAt, endedAt, status };
}

/** What the probe's thread asks this one, also while it is in the middle of something. */
Object.defineProperty(globalThis, '__duskProbe', {
  enumerable: false,
  value: {
    seen: (olderThanMs: number, traceId?: string) => JSON.stringify(seenRequests(olderThanMs, traceId)),
    sampled: () => JSON.stringify(sampledRequests()),
    current: () => currentRequest()?.id ?? 0,
    followTurns: (isOn: boolean) => {
      followTurns(isOn);
      return 'true';
    },
    /** The ids of requests that ran lately, so that samples can be labelled. */
    known: () =>
      JSON.stringify(
        [...running.values(), ...lately.map(({ request }) => request)].map(({ id, traceId, spanId, operation }) => [
          id,
          traceId,
          spanId,
          operation,
        ]),
      ),
    takeEnded: () => {
      const taken = ended.splice(0).map(described);
      return JSON.stringify({ sdk: hasSdk(), taken });
    },
    endedOf: (traceId: string) => JSON.stringify(lately.filter(({ request }) => request.traceId === traceId).map(described)),
    measures: () => {
      const { heapUsed, heapTotal, rss, external } = process.memoryUsage();
      const found = {
        running: running.size,
        heapUsed,
        heapTotal,
        rss,
        external,
        delayMean: delay.mean / 1e9,
        delayP99: delay.percentile(99) / 1e9,
        delayMax: delay.max / 1e9,
        collections: collections.count,
        collectionSeconds: collections.ms / 1e3,
        cpu: process.cpuUsage(),
      };
      delay.reset();
      return JSON.stringify(found);
    },
  },
});

const agent = new Worker(fileURLToPath(new URL('./agent.mjs', import.meta.url)), {
  workerData: { settings, buffers },
  // Whatever the program was started with is not for the probe.
  execArgv: [],
  env: { ...process.env, NODE_OPTIONS: '', DUSK_PROBE: 'off' },
  stdout: false,
  stderr: false,
});
agent.unref();
agent.on('error', (error) => process.stderr.write(`dusk probe: ended: ${error.message}\n`));

/** How long the end of the program is held up for the thread to let go. */
const LET_GO_MS = 150;

process.on('exit', () => {
  Atomics.store(memory.state, ENDING, 1);
  Atomics.notify(memory.state, ENDING);
  Atomics.wait(memory.state, ENDED, 0, LET_GO_MS);
});
