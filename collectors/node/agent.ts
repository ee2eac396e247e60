import { randomUUID } from 'node:crypto';
import type { HeapProfiler, Profiler } from 'node:inspector';
import { setTimeout as sleep } from 'node:timers/promises';
import { workerData } from 'node:worker_threads';
import { isOwnFrame } from '../../src/core/profile/ownFrame.ts';
import { readStackText } from '../../src/core/profile/readStackText.ts';
import type { Frame, StackSample } from '../../src/core/profile/stackSample.ts';
import { Inspected } from './inspect.ts';
import { Places } from './places.ts';
import { cpuSamples, heapSamples, type KnownRequests, turnsOf } from './profiles.ts';
import type { SeenRequest } from './registry.ts';
import { type ProbeEvent, type ProbeMeasure, type ProbeSpan, Sender } from './send.ts';
import type { ProbeSettings } from './settings.ts';
import { ENDED, ENDING, monotonicMs, RECORDING, type TurnBuffers, turnMemory, WRITTEN } from './turns.ts';

/*
 * The probe's own thread: reports what runs, asks the application what it is to do, takes stacks and profiles of the program's thread, sends.
 */

const { settings, buffers } = workerData as { settings: ProbeSettings; buffers: TurnBuffers };
const memory = turnMemory(buffers);
const program = new Inspected();
const places = new Places(settings.root);
const sender = new Sender(settings, Date.now());

/** Requests that are younger are not reported. */
const LEAST_AGE_MS = 100;
/** The event loop is blocked when it has not turned for so long; then it is looked at as often. */
const BLOCKED_MS = 500;
/** How long a program is waited for to come to a place where it can be stopped. */
const STOP_WITHIN_MS = 1_500;
/** Between two looks at what requests wait for, while a profile is taken. */
const WAIT_SAMPLE_MS = 50;
/** Bytes between two samples of the heap. */
const HEAP_INTERVAL = 256 * 1024;
/** Sources that are sent in all. */
const MOST_SOURCES = 100;
const AGAIN_MS = 3_000;
const CAN = ['look', 'cpu', 'wall', ...(settings.heap ? ['heap', 'allocation'] : [])];

interface Command {
  readonly id: string;
  readonly ask: string;
  readonly traceId: string;
  readonly seconds: number;
}

// Nothing of the probe keeps this thread, and by it the program, alive; but this thread waits for answers of the other.
setInterval(() => {}, 60_000);
void letGo();
if (settings.heap) await startHeap();
void forever(report, settings.reportMs);
void forever(watchLoop, BLOCKED_MS / 2);
if (settings.profileEveryMs > 0)
  void forever(() => profile(settings.profileMs), settings.profileEveryMs, settings.profileEveryMs / 4);
void listen();

async function forever(work: () => Promise<void>, everyMs: number, firstMs = everyMs): Promise<void> {
  await sleep(firstMs);
  for (;;) {
    const began = Date.now();
    await work().catch(noted);
    await sleep(Math.max(50, everyMs - (Date.now() - began)));
  }
}

function noted(error: unknown): void {
  if (settings.debug) process.stderr.write(`dusk probe: ${(error as Error).stack ?? error}\n`);
}

/** Lets the program end: as long as somebody inspects it, it would wait. */
async function letGo(): Promise<void> {
  const { value } = Atomics.waitAsync(memory.state, ENDING, 0);
  await value;
  program.end();
  Atomics.store(memory.state, ENDED, 1);
  Atomics.notify(memory.state, ENDED);
}

async function startHeap(): Promise<void> {
  await program.post('HeapProfiler.startSampling', { samplingInterval: HEAP_INTERVAL }).catch(noted);
}

/** Asks the application what is to be done, for ever. */
async function listen(): Promise<void> {
  const probe = randomUUID();
  const { service, instance, version, environment } = settings;
  for (;;) {
    try {
      const answer = await fetch(`${settings.url}/v1/probes`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...settings.headers },
        body: JSON.stringify({ probe, instances: [{ service, instance, version, environment, language: 'nodejs' }], can: CAN }),
        signal: AbortSignal.timeout(60_000),
      });
      if (!answer.ok) throw new Error(`${settings.url}/v1/probes answered ${answer.status}`);
      const { commands } = (await answer.json()) as { commands: Command[] };
      for (const command of commands) void carryOut(command).catch(noted);
    } catch (error) {
      noted(error);
      await sleep(AGAIN_MS);
    }
  }
}

async function carryOut({ id, ask, traceId, seconds }: Command): Promise<void> {
  if (ask === 'look') await look(id, traceId);
  else if (ask === 'heap') {
    await allocating;
    await sender.profiles([await heapProfile()]);
  } else if (ask === 'allocation') await allocated(boundedMs(seconds));
  else await profile(boundedMs(seconds));
}

function boundedMs(seconds: number): number {
  return Math.min(60, Math.max(1, seconds)) * 1_000;
}

/** What a request does at this moment; of all of them when none is named. */
async function look(id: string, traceId: string): Promise<void> {
  const seen = await program.ask<SeenRequest[]>(`seen(${traceId === '' ? LEAST_AGE_MS : 0}, ${JSON.stringify(traceId)})`);
  if (seen.length === 0 && traceId !== '') {
    const [of] = await program.ask<ProbeSpan[]>(`endedOf(${JSON.stringify(traceId)})`);
    await sender.events([
      {
        name: 'lantern.request.in_flight',
        atMs: Date.now(),
        traceId,
        attributes: {
          'lantern.trace_id': traceId,
          'lantern.operation': of?.operation ?? 'unknown',
          'lantern.age_ms': of ? of.endedAt - of.beganAt : 0,
          'lantern.state': 'ended',
          'lantern.outcome': of ? String(of.status) : '',
          'lantern.look': id,
        },
      },
    ]);
    return;
  }
  await sender.events(await eventsOf(seen, id));
}

/** Running requests as events. The one that the program works on is looked at where it is. */
async function eventsOf(seen: readonly SeenRequest[], lookId: string): Promise<ProbeEvent[]> {
  const isBusy = seen.some(({ onCpu }) => onCpu) || monotonicMs() - memory.alive[0] > BLOCKED_MS;
  // A program that only waits is not stopped.
  const now = isBusy ? await program.stack(STOP_WITHIN_MS) : undefined;
  const atMs = Date.now();
  const isBlocked = monotonicMs() - memory.alive[0] > BLOCKED_MS;
  return seen.map((it) => {
    const onCpu = now !== undefined && now.request === it.id;
    const frames = onCpu
      ? now.frames.map(({ name, url, line, column }) => places.frame(name, url, line, column))
      : framesOf(it.stack);
    void sendSources(frames);
    return {
      name: 'lantern.request.in_flight',
      atMs,
      traceId: it.traceId,
      attributes: {
        'lantern.trace_id': it.traceId,
        'lantern.span_id': it.spanId,
        'lantern.operation': it.operation,
        'lantern.step': onCpu ? 'computing' : it.what || 'waiting',
        'lantern.age_ms': it.ageMs,
        'lantern.wait': onCpu ? (isBlocked ? 'loop' : '') : it.wait || 'other',
        'thread.name': 'main',
        'db.query.text': onCpu ? '' : it.statement,
        'code.stacktrace': frames.map(({ name, file, line }) => `${name} ${file}:${line}`).join('\n'),
        ...(lookId && { 'lantern.look': lookId }),
      },
    };
  });
}

/** A stack as the runtime writes it out, without the frames of the probe itself. */
function framesOf(stack: string): Frame[] {
  return readStackText(stack)
    .filter(({ file }) => !/collectors\/node\/dist|node-probe\/dist/.test(file) && !file.startsWith('node:internal/async_hooks'))
    .map(({ name, file, line }) => places.frame(name, file, line));
}

/** Running requests and measures, every few seconds; and the spans of those that have ended, where nobody else sends them. */
async function report(): Promise<void> {
  const seen = await program.ask<SeenRequest[]>(`seen(${LEAST_AGE_MS})`);
  if (seen.length > 0) await sender.events(await eventsOf(seen, ''));
  const { sdk, taken } = await program.ask<{ sdk: boolean; taken: ProbeSpan[] }>('takeEnded()');
  if (!sdk) await sender.spans(taken);
  await sender.measures(await measures(), Date.now());
}

async function measures(): Promise<ProbeMeasure[]> {
  const it = await program.ask<{
    running: number;
    heapUsed: number;
    heapTotal: number;
    rss: number;
    external: number;
    delayMean: number;
    delayP99: number;
    delayMax: number;
    collections: number;
    collectionSeconds: number;
    cpu: { user: number; system: number };
  }>('measures()');
  return [
    { name: 'http.server.active_requests', unit: '{request}', value: it.running },
    { name: 'v8js.memory.heap.used', unit: 'By', value: it.heapUsed },
    { name: 'v8js.memory.heap.limit', unit: 'By', value: it.heapTotal },
    { name: 'process.memory.usage', unit: 'By', value: it.rss },
    { name: 'nodejs.eventloop.delay.mean', unit: 's', value: it.delayMean || 0 },
    { name: 'nodejs.eventloop.delay.p99', unit: 's', value: it.delayP99 || 0 },
    { name: 'nodejs.eventloop.delay.max', unit: 's', value: it.delayMax || 0 },
    { name: 'v8js.gc.duration', unit: 's', value: it.collectionSeconds, isSum: true },
    { name: 'process.cpu.time', unit: 's', value: it.cpu.user / 1e6, isSum: true, attributes: { 'cpu.mode': 'user' } },
    { name: 'process.cpu.time', unit: 's', value: it.cpu.system / 1e6, isSum: true, attributes: { 'cpu.mode': 'system' } },
  ];
}

/** A blocked event loop is looked at where it is, without being asked. */
async function watchLoop(): Promise<void> {
  if (monotonicMs() - memory.alive[0] < BLOCKED_MS) return;
  const seen = await program.ask<SeenRequest[]>('seen(0)');
  const events = await eventsOf(seen, '');
  await sender.events(events.filter(({ attributes }) => attributes['lantern.wait'] === 'loop'));
}

let profiling: Promise<void> | undefined;

/** One profile at a time: who asks meanwhile gets the one that is being taken. */
function profile(ms: number): Promise<void> {
  profiling ??= takeProfile(ms).finally(() => {
    profiling = undefined;
  });
  return profiling;
}

async function takeProfile(ms: number): Promise<void> {
  memory.state[WRITTEN] = 0;
  memory.state[RECORDING] = 1;
  await program.ask('followTurns(true)');
  const began = Date.now();
  try {
    await program.post('Profiler.enable');
    await program.post('Profiler.setSamplingInterval', { interval: settings.sampleUs });
    await program.post('Profiler.start');
    const waits = await sampleWaits(ms);
    const { profile: taken } = await program.post<{ profile: Profiler.Profile }>('Profiler.stop', {}, 60_000);
    await program.post('Profiler.disable').catch(noted);
    const known = await knownRequests();
    const cpu = cpuSamples(taken, turnsOf(memory), known, places);
    const time = BigInt(began) * 1_000_000n;
    const durationNs = BigInt(Date.now() - began) * 1_000_000n;
    const common = { unit: 'nanoseconds', time, durationNs };
    await sender.profiles([
      { ...common, type: 'cpu', period: settings.sampleUs * 1_000, samples: cpu },
      { ...common, type: 'wall', period: settings.sampleUs * 1_000, samples: [...cpu.filter(({ span }) => span), ...waits] },
      ...(settings.heap && !allocating ? [await heapProfile()] : []),
    ]);
    for (const { frames } of cpu) await sendSources(frames);
  } finally {
    memory.state[RECORDING] = 0;
    await program.ask('followTurns(false)').catch(noted);
  }
}

/** What requests wait for, sampled until the time is over: those that the program works on are in the profile of the CPU. */
async function sampleWaits(ms: number): Promise<StackSample[]> {
  const until = Date.now() + ms;
  const sums = new Map<string, { sample: StackSample; value: number }>();
  let last = monotonicMs();
  while (Date.now() < until) {
    await sleep(WAIT_SAMPLE_MS);
    const seen = await program.ask<SeenRequest[]>('sampled()').catch(() => []);
    const now = monotonicMs();
    for (const it of seen) {
      if (it.onCpu || it.stack === '') continue;
      const key = `${it.traceId} ${it.stack}`;
      const sum = sums.get(key) ?? {
        sample: {
          frames: framesOf(it.stack),
          value: 0,
          span: { traceId: it.traceId, spanId: it.spanId },
          operation: it.operation,
          thread: 'main',
        },
        value: 0,
      };
      sum.value += (now - last) * 1e6 * it.standsFor;
      sums.set(key, sum);
    }
    last = now;
  }
  return [...sums.values()].map(({ sample, value }) => ({ ...sample, value: Math.round(value) }));
}

async function knownRequests(): Promise<KnownRequests> {
  const rows = await program.ask<[number, string, string, string][]>('known()');
  return new Map(rows.map(([id, traceId, spanId, operation]) => [id, { traceId, spanId, operation }]));
}

/** What is held on the heap now; or, when a time is given, what was allocated in it. */
async function heapProfile(allocatedForMs = 0) {
  const { profile: taken } = await program.post<{ profile: HeapProfiler.SamplingHeapProfile }>('HeapProfiler.getSamplingProfile');
  const samples = heapSamples(taken, places);
  await Promise.all(samples.slice(0, 50).map(({ frames }) => sendSources(frames)));
  return {
    type: allocatedForMs > 0 ? 'alloc_space' : 'inuse_space',
    unit: 'bytes',
    period: HEAP_INTERVAL,
    time: BigInt(Date.now() - allocatedForMs) * 1_000_000n,
    durationNs: BigInt(allocatedForMs) * 1_000_000n,
    samples,
  };
}

let allocating: Promise<void> | undefined;

/** V8 samples one or the other: what is held is sampled afresh afterwards, from nothing. */
function allocated(ms: number): Promise<void> {
  allocating ??= takeAllocated(ms).finally(() => {
    allocating = undefined;
  });
  return allocating;
}

async function takeAllocated(ms: number): Promise<void> {
  await program.post('HeapProfiler.stopSampling');
  try {
    await program.post('HeapProfiler.startSampling', {
      samplingInterval: HEAP_INTERVAL,
      includeObjectsCollectedByMajorGC: true,
      includeObjectsCollectedByMinorGC: true,
    });
    await sleep(ms);
    await sender.profiles([await heapProfile(ms)]);
    await program.post('HeapProfiler.stopSampling');
  } finally {
    await startHeap();
  }
}

const sent = new Set<string>();

/** The sources of own code that was seen, each once. */
async function sendSources(frames: readonly Frame[]): Promise<void> {
  const { service, version } = settings;
  for (const frame of frames) {
    if (frame.file === '' || sent.has(frame.file) || sent.size >= MOST_SOURCES || !isOwnFrame(frame)) continue;
    sent.add(frame.file);
    const source = places.source(frame.file);
    if (!source) continue;
    await sender.events([
      {
        name: 'lantern.inventory',
        atMs: Date.now(),
        attributes: {
          'lantern.object.kind': 'source',
          'lantern.object.id': `${service}/${source.file}@${version}`,
          'lantern.object.name': source.file,
          'lantern.object.part_of': `deployment ${service}`,
          'lantern.object.specification': source.text,
          'lantern.object.detail': { version },
        },
      },
    ]);
  }
}
