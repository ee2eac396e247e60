import type { Attributes } from '../../src/core/trace/span.ts';
import type { OutgoingPoint } from '../../src/formats/otlp/record/encodeMetrics.ts';
import { HOSTS } from '../company/services.ts';
import { MIB, MINUTE, MS, SECOND } from '../simulation/units.ts';
import type { Instance } from '../world/instance.ts';
import { BOUNDS, type Histogram } from '../world/meters.ts';
import { clock, type World } from '../world/world.ts';
import { reporter } from './events.ts';
import { SCOPE } from './output.ts';

type Value = OutgoingPoint['value'];
const gauge = (number: number): Value => ({ kind: 'gauge', number });
const count = (number: number): Value => ({ kind: 'count', number });

/** Everything that is measured once a minute. Counts are of that minute. */
export class MetricReports {
  readonly #before = new Map<string, number>();
  #reports = 0;

  report(world: World): void {
    // What hardly ever changes is told every ten minutes.
    const isFull = this.#reports++ % 10 === 0;
    for (const instances of world.instances.values())
      for (const instance of instances) {
        this.#process(world, instance, isFull);
        instance.meters.reset();
      }
    this.#machines(world);
    this.#databases(world);
    this.#queuesAndCaches(world);
  }

  #process(world: World, instance: Instance, isFull: boolean): void {
    const { meters, form } = instance;
    const put = this.#putter(world, instance.resource);
    for (const { route, status, durations } of meters.requests.values())
      put(
        'http.server.request.duration',
        's',
        { kind: 'histogram', bounds: BOUNDS, counts: durations.counts, sum: durations.sum, exemplars: durations.exemplars },
        { 'http.route': route, 'http.response.status_code': status },
      );
    put('process.cpu.time', 's', count(meters.cpu / SECOND));
    put('process.memory.usage', 'By', gauge(Math.round(instance.memory)));
    put('process.allocated', 'By', count(Math.round(meters.allocated)));
    for (const generation of ['young', 'old'] as const) {
      const { count: times, nanos } = meters.collections[generation];
      if (times === 0) continue;
      put('process.gc.count', '{collection}', count(times), { generation });
      put('process.gc.pause.time', 's', count(nanos / SECOND), { generation });
    }
    if (instance.loop) {
      const { count: turns, nanos, longest } = meters.delays;
      put('process.eventloop.delay.mean', 's', gauge(turns === 0 ? 0 : nanos / turns / SECOND));
      put('process.eventloop.delay.max', 's', gauge(longest / SECOND));
    }
    put('workers.busy', '{worker}', gauge(instance.workers.inside));
    put('workers.waiting', '{request}', gauge(instance.workers.waiting));
    if (instance.pool) {
      const { gate, database } = instance.pool;
      const of = { 'db.client.connection.pool.name': `${instance.service} to ${database.name}`, 'server.address': database.name };
      const area = this.#since(`pool ${instance.id}`, gate.figures.insideArea);
      const waiting = this.#since(`pool waiting ${instance.id}`, gate.figures.waitingArea);
      const { waited, held, timeouts } = instance.pool.takeFigures();
      const times = ({ bounds, counts, sum: total }: Histogram): Value => ({
        kind: 'histogram',
        bounds,
        counts,
        sum: total,
        exemplars: [],
      });
      put('db.client.connection.max', '{connection}', gauge(gate.size), of);
      // The mean of the minute: one look a minute would miss most of it.
      put('db.client.connection.used', '{connection}', gauge(area / MINUTE), of);
      put('db.client.connection.pending_requests', '{request}', gauge(waiting / MINUTE), of);
      put('db.client.connection.wait_time', 's', times(waited), of);
      put('db.client.connection.use_time', 's', times(held), of);
      if (timeouts > 0) put('db.client.connection.timeouts', '{timeout}', count(timeouts), of);
    }
    const [asked, limit] = form.memory;
    put('pod.cpu.usage', '{core}', gauge(meters.cpu / MINUTE));
    put('pod.restarts', '{restart}', gauge(instance.restarts));
    put('pod.memory.usage', 'By', gauge(Math.round(instance.memory)));
    if (!isFull) return;
    put('pod.memory.request', 'By', gauge(asked * MIB));
    put('pod.memory.limit', 'By', gauge(limit * MIB));
    put('process.thread.count', '{thread}', gauge(form.workers + (form.language === 'nodejs' ? 11 : 18)));
  }

  #machines(world: World): void {
    for (const machine of world.machines.values()) {
      const put = this.#putter(world, reporter(`agent of ${machine.name}`, { 'host.name': machine.name, 'host.type': 'vm' }));
      const { used, stolen } = machine.processor.figures;
      const cores = machine.processor.cores * MINUTE;
      put('system.cpu.utilization', '1', gauge(this.#since(`cpu ${machine.name}`, used) / cores), { 'cpu.mode': 'user' });
      put('system.cpu.utilization', '1', gauge(this.#since(`steal ${machine.name}`, stolen) / cores), { 'cpu.mode': 'steal' });
      put('system.cpu.load', '{task}', gauge(machine.processor.tasks));
      const pods = [...world.instances.values()].flat().filter((instance) => instance.machine === machine);
      const memory = pods.reduce((sum, { memory: own }) => sum + own, 900 * MIB);
      put('system.memory.usage', 'By', gauge(Math.round(memory)));
      const requests = pods.reduce((sum, { meters }) => sum + meters.delays.count, 0);
      put('system.network.io', 'By', count(Math.round(40_000 + requests * 3800 + 9000 * world.chance.unit())));
      put('system.disk.io', 'By', count(Math.round(180_000 * world.chance.logNormal(1, 0.2))));
    }
    for (const [name, host] of world.hosts) {
      const put = this.#putter(world, reporter(`agent of ${name}`, { 'host.name': name, 'host.type': 'host' }));
      const used = host.guests.reduce((sum, guest) => sum + guest.figures.used, 0);
      const own = (host.own * MINUTE) / MINUTE;
      const share = (this.#since(`host ${name}`, used) / MINUTE + own) / host.cores;
      put('system.cpu.utilization', '1', gauge(Math.min(1, share)), { 'cpu.mode': 'all' });
      put('system.memory.limit', 'By', gauge(HOSTS[name].memory * 1024 * MIB));
    }
  }

  #databases(world: World): void {
    for (const database of world.databases.values()) {
      const put = this.#putter(world, reporter(`agent of ${database.name}`, { 'server.address': database.name }));
      put(
        'system.cpu.utilization',
        '1',
        gauge(this.#since(`cpu ${database.name}`, database.processor.figures.used) / (database.processor.cores * MINUTE)),
        {
          'cpu.mode': 'user',
        },
      );
      const disk = this.#since(`disk ${database.name}`, database.disk.figures.insideArea);
      put('system.disk.utilization', '1', gauge(disk / (database.disk.size * MINUTE)));
      put('system.disk.queue', '{operation}', gauge(database.disk.waiting));
      put('db.server.commits', '{transaction}', count(this.#since(`commits ${database.name}`, database.commits)));
      const figures = [...database.figures.values()];
      put('db.server.blocks.hit', '{block}', count(this.#since(`hit ${database.name}`, sum(figures.map(({ hit }) => hit)))));
      put('db.server.blocks.read', '{block}', count(this.#since(`read ${database.name}`, sum(figures.map(({ read }) => read)))));
      put('db.server.sessions', '{session}', gauge(database.sessions.length));
    }
  }

  #queuesAndCaches(world: World): void {
    const put = this.#putter(world, reporter('pier', { 'service.namespace': 'Platform' }));
    for (const queue of world.queues.values()) {
      const of = { 'messaging.destination.name': queue.name };
      put('messaging.queue.depth', '{message}', gauge(queue.depth), of);
      put('messaging.queue.age', 's', gauge(queue.age / SECOND), of);
      put('messaging.sent', '{message}', count(this.#since(`sent ${queue.name}`, queue.sent)), of);
      put('messaging.done', '{message}', count(this.#since(`done ${queue.name}`, queue.done)), of);
    }
    for (const cache of world.caches.values()) {
      const of = { 'cache.name': cache.name };
      put('cache.hits', '{look}', count(this.#since(`hits ${cache.name}`, cache.hits)), of);
      put('cache.misses', '{look}', count(this.#since(`misses ${cache.name}`, cache.misses)), of);
    }
  }

  /** How much a figure has grown since it was last asked for. */
  #since(name: string, now: number): number {
    const before = this.#before.get(name) ?? 0;
    this.#before.set(name, now);
    return now - before;
  }

  #putter(world: World, resource: Attributes) {
    const time = clock(world);
    const start = time - BigInt(60_000 * MS);
    return (name: string, unit: string, value: Value, attributes: Attributes = {}) =>
      world.output.point({ resource, scope: SCOPE, name, unit, attributes, start, time, value });
  }
}

const sum = (of: readonly number[]) => of.reduce((total, it) => total + it, 0);
