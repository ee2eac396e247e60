import type { Harmless } from './incidents/harmless.ts';
import type { Incident } from './incidents/incident.ts';
import { Unfolding } from './incidents/unfolding.ts';
import { startBackground } from './services/background.ts';
import { bookEntry, consume, sendNotice } from './services/notices.ts';
import { positionReports } from './services/vessels.ts';
import { chance } from './simulation/chance.ts';
import { type Process, Simulation } from './simulation/simulation.ts';
import { MINUTE, MS, SECOND } from './simulation/units.ts';
import { PlanReports, reportStatements, SessionSampler } from './telemetry/databaseReports.ts';
import { reportInFlight } from './telemetry/inFlight.ts';
import { reportInventory } from './telemetry/inventory.ts';
import { MetricReports } from './telemetry/metrics.ts';
import type { Output } from './telemetry/output.ts';
import { ProcessReports } from './telemetry/processes.ts';
import { startArrivals } from './visitors/arrivals.ts';
import { checkRuns } from './visitors/checks.ts';
import { buildWorld, type World } from './world/world.ts';

export interface RunOptions {
  /** The moment that incidents and waves are counted back from, epoch milliseconds. */
  readonly endMs: number;
  /** What is told of: from, and up to; epoch milliseconds. A run without an end goes on for ever. */
  readonly fromMs: number;
  readonly untilMs?: number;
  readonly seed: number;
  /** How many times the ordinary traffic. */
  readonly scale?: number;
  readonly incidents: readonly Incident[];
  readonly harmless: readonly Harmless[];
}

/** What lies before the first moment that is told of: queues, caches and pools have time to come to their usual state. */
const WARM_UP_MS = 10 * 60_000;
/** The last that come have a minute to be served before the end. */
const LAST_COME = MINUTE;
/** Everyday loss on the way from a sender. */
const LOST_SPANS = 0.0004;

/** A stretch of the company's life. It goes as far as it is told to, and tells of all that happens on the way. One seed gives the same for ever. */
export class Run {
  readonly world: World;
  readonly #simulation = new Simulation();
  readonly #begins: number;
  readonly #options: RunOptions;

  constructor(options: RunOptions, output: Output) {
    this.#options = options;
    this.#begins = options.fromMs - WARM_UP_MS;
    const { seed, endMs, scale = 1, untilMs = Number.POSITIVE_INFINITY } = options;
    const epoch = BigInt(this.#begins) * 1_000_000n;
    const muted = new Set<string>();
    const loss = chance(seed ^ 0x10055);
    const settings = { epoch, seed, dataBegins: WARM_UP_MS * MS, muted };
    const told = gated(output, muted, options, () => loss.happens(LOST_SPANS));
    this.world = buildWorld(this.#simulation, settings, told);
    const luck = chance(seed);
    const own = () => luck.between(0, 0x7fffffff);
    startArrivals(this.world, { seed: own(), end: this.#time(endMs), until: this.#time(untilMs) - LAST_COME, scale });
    startBackground(this.world, own());
    this.#simulation.start(positionReports(this.world, own()));
    this.#startConsumers(own);
    this.#simulation.start(everySecond(this.world));
    this.#simulation.start(checkRuns(this.world));
    for (const { begins, ends, unfold } of [...options.incidents, ...options.harmless])
      this.unfold(
        unfold,
        this.#time(endMs - begins * 60_000),
        ends === null ? Number.POSITIVE_INFINITY : this.#time(endMs - ends * 60_000),
        own(),
      );
  }

  /** Lets something go wrong. @param begin, end simulated nanoseconds; what began before the world did is there from its beginning */
  unfold(how: Incident['unfold'], begin: number, end: number, seed: number): void {
    const { world } = this;
    this.#simulation.at(begin, () => {
      // The next segment of the data tells of what begins after this one.
      if (world.simulation.now <= this.#time(this.#options.untilMs ?? Number.POSITIVE_INFINITY))
        this.#simulation.start(how(new Unfolding(world, chance(seed), begin, end)));
    });
  }

  /** Goes on up to a moment, epoch milliseconds. */
  advance(toMs: number): void {
    this.#simulation.runUntil(this.#time(toMs));
  }

  #time(ms: number): number {
    return (ms - this.#begins) * MS;
  }

  #startConsumers(own: () => number): void {
    const { world } = this;
    for (const [service, queue, work] of [
      ['notices', 'notice-queue', sendNotice],
      ['books', 'books-queue', bookEntry],
    ] as const)
      for (const instance of world.instances.get(service)!)
        for (let worker = 0; worker < 2; worker++) this.#simulation.start(consume(world, instance, queue, own(), work));
  }
}

/** What is told at fixed times: each second, ten seconds, minute, five minutes, hour. */
function* everySecond(world: World): Process {
  const { simulation, dataBegins } = world;
  const metrics = new MetricReports();
  const processes = new ProcessReports();
  const plans = new PlanReports();
  const sampler = new SessionSampler();
  yield* simulation.sleep(dataBegins);
  processes.report(world);
  metrics.report(world);
  plans.report(world);
  reportInventory(world);
  world.profiler.flushNow(simulation.now);
  for (let second = 1; ; second++) {
    yield* simulation.sleep(SECOND);
    sampler.sample(world);
    if (second % 10 === 0) reportInFlight(world);
    if (second % 60 === 0) {
      processes.report(world);
      metrics.report(world);
      reportStatements(world);
      plans.report(world);
    }
    if (second % 300 === 0) world.profiler.flushNow(simulation.now);
    if (second % 3600 === 0) reportInventory(world);
  }
}

/** Lets through what belongs to the stretch that is told of. What has not ended by its end is not there yet. */
function gated(output: Output, muted: ReadonlySet<string>, { fromMs, untilMs }: RunOptions, isLost: () => boolean): Output {
  const from = BigInt(fromMs) * 1_000_000n;
  const until = untilMs === undefined ? undefined : BigInt(untilMs) * 1_000_000n;
  const isTold = (time: bigint) => time >= from && (until === undefined || time <= until);
  return {
    span: (span) => {
      if (!muted.has(span.traceId) && (until === undefined || span.end <= until) && !(span.parentSpanId && isLost()))
        output.span(span);
    },
    log: (record) => {
      if (isTold(record.time) && !(record.traceId && muted.has(record.traceId))) output.log(record);
    },
    point: (point) => {
      if (isTold(point.start)) output.point(point);
    },
    profile: (profile) => {
      if (isTold(profile.profile.time)) output.profile(profile);
    },
  };
}
