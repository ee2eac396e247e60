import type { Attributes } from '../../src/core/trace/span.ts';
import type { OutgoingPoint } from '../../src/formats/otlp/record/encodeMetrics.ts';
import { DATABASES, HOSTS } from '../company/services.ts';
import { tableOf } from '../company/statements.ts';
import { TABLES } from '../company/tables.ts';
import { chance } from '../simulation/chance.ts';
import type { Host } from '../simulation/processor.ts';
import { MIB, MINUTE, MS, SECOND } from '../simulation/units.ts';
import type { Database } from '../world/database.ts';
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
  /** For the readings of hosts alone: more readings must not change what the company does. */
  readonly #noise = chance(0x7ead);
  /** For full disks and pressure: what other readings draw stays as it was. */
  readonly #pressureNoise = chance(0x5ea1);
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
    put('process.cpu.wait_time', 's', count(meters.cpuWait / SECOND));
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
    put('k8s.pod.cpu.usage', '{cpu}', gauge(meters.cpu / MINUTE));
    put('k8s.pod.memory.usage', 'By', gauge(instance.isUp ? Math.round(instance.resident) : 0));
    put('k8s.container.restart.count', '{restart}', gauge(instance.restarts));
    put('container.cpu.throttled.time', 's', count(meters.throttled / SECOND));
    if (!isFull) return;
    put('k8s.container.memory.request', 'By', gauge(form.memory[0] * MIB));
    put('k8s.container.memory.limit', 'By', gauge(form.memory[1] * MIB));
    put('k8s.container.cpu.request', '{cpu}', gauge(form.cpu[0]));
    put('k8s.container.cpu.limit', '{cpu}', gauge(form.cpu[1]));
    put('process.thread.count', '{thread}', gauge(form.workers + (form.language === 'nodejs' ? 11 : 18)));
  }

  #machines(world: World): void {
    for (const machine of world.machines.values()) {
      const put = this.#putter(world, reporter(`agent of ${machine.name}`, { 'host.name': machine.name, 'host.type': 'vm' }));
      const { used, stolen, pressed } = machine.processor.figures;
      const cores = machine.processor.cores * MINUTE;
      put('system.cpu.utilization', '1', gauge(this.#since(`cpu ${machine.name}`, used) / cores), { 'cpu.mode': 'user' });
      put('system.cpu.utilization', '1', gauge(this.#since(`steal ${machine.name}`, stolen) / cores), { 'cpu.mode': 'steal' });
      put('system.cpu.load', '{task}', gauge(machine.processor.tasks));
      pressure(put, this.#since(`pressed ${machine.name}`, pressed) / MINUTE);
      const pods = [...world.instances.values()].flat().filter((instance) => instance.machine === machine);
      const memory = pods.reduce((sum, { memory: own }) => sum + own, 900 * MIB);
      put('system.memory.usage', 'By', gauge(Math.round(memory)));
      put('system.memory.limit', 'By', gauge(machine.processor.cores * 2 * 1024 * MIB));
      const full = Math.min(1, machine.full + 0.004 * this.#pressureNoise.unit());
      put('system.filesystem.utilization', '1', gauge(full), { 'system.filesystem.mountpoint': '/' });
      const requests = pods.reduce((sum, { meters }) => sum + meters.delays.count, 0);
      put('system.network.io', 'By', count(Math.round(40_000 + requests * 3800 + 9000 * world.chance.unit())));
      put('system.disk.io', 'By', count(Math.round(180_000 * world.chance.logNormal(1, 0.2))));
    }
    for (const [name, host] of world.hosts) {
      const isBare = world.machines.has(name) || Object.values(DATABASES).some((it) => it.host === name);
      if (!isBare) this.#host(world, name, host);
    }
  }

  /** A host that virtual machines stand on. */
  #host(world: World, name: string, host: Host): void {
    const put = this.#putter(world, reporter(`agent of ${name}`, { 'host.name': name, 'host.type': 'host' }));
    const figures = host.guests.map((guest) => guest.figures);
    const used = this.#since(`host ${name}`, sum(figures.map((it) => it.used)));
    const wanted = used + this.#since(`wanted of ${name}`, sum(figures.map(({ stolen }) => stolen)));
    put('system.cpu.utilization', '1', gauge(Math.min(1, (used / MINUTE + host.own) / host.cores)), { 'cpu.mode': 'all' });
    pressure(put, wanted === 0 ? 0 : 1 - used / wanted);
    // What reads all disks keeps them busy.
    const jobs = [...host.jobs.values()];
    const reads = sum(jobs.map((it) => it.reads * (host.own / Math.max(host.own, sum(jobs.map(({ cores }) => cores))))));
    const operations = Math.round((240 + reads * 60) * this.#noise.logNormal(1, 0.1));
    put('system.disk.operations', '{operation}', count(operations));
    const slow = host.diskSlower * this.#noise.logNormal(1, 0.08);
    put('system.disk.operation_time', 's', count(operations * 0.0009 * slow));
    const waitingForDisk = host.diskSlower === 1 ? 0.01 : 1 - 1 / Math.sqrt(host.diskSlower);
    pressure(put, waitingForDisk * this.#pressureNoise.logNormal(1, 0.1), 'io');
    pressure(put, (host.paging / (1 + host.paging)) * this.#pressureNoise.logNormal(1, 0.05), 'memory');
    put('system.disk.io', 'By', count(Math.round((1.1 + reads) * MIB * 60 * this.#noise.logNormal(1, 0.1))));
    put('system.memory.limit', 'By', gauge(HOSTS[name].memory * 1024 * MIB));
    const held = 38 + 3 * this.#noise.unit() + sum(jobs.map((it) => Math.max(0, it.memory - USUAL_WORK) / 1024));
    put('system.memory.usage', 'By', gauge(Math.round(Math.min(HOSTS[name].memory, held) * 1024 * MIB)));
    put('system.filesystem.utilization', '1', gauge(0.46 + 0.02 * this.#noise.unit()), { 'system.filesystem.mountpoint': '/' });
    const segments = Math.round(used / MS / 4 + 20_000 * this.#noise.logNormal(1, 0.1));
    put('system.network.segments', '{segment}', count(segments), { 'network.segment.state': 'sent' });
    put(
      'system.network.segments',
      '{segment}',
      count(Math.round(segments * (0.0007 + host.lost) * this.#noise.logNormal(1, 0.2))),
      {
        'network.segment.state': 'retransmitted',
      },
    );
    put('system.network.io', 'By', count(segments * 1_100));
  }

  #databases(world: World): void {
    for (const database of world.databases.values()) {
      const put = this.#putter(
        world,
        reporter(`agent of ${database.name}`, { 'server.address': database.name, 'host.name': DATABASES[database.name].host }),
      );
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
      if (isTableMinute(world)) this.#tables(world, database);
    }
  }

  /** What the server counts of its tables and indexes, out of the statements that it has run. */
  #tables(world: World, database: Database): void {
    const put = this.#putter(world, reporter(`tables of ${database.name}`, { 'server.address': database.name }));
    const figures = [...database.figures.values()];
    const of = (table: string) => figures.filter(({ statement }) => tableOf(statement) === table);
    for (const { name, rows, indexes } of TABLES[database.name] ?? []) {
      const named = { 'db.collection.name': name };
      const isChange = (text: string) => /^(?:INSERT|UPDATE|DELETE)/.test(text);
      const changed = sum(of(name).map(({ statement, rows: those }) => (isChange(statement.text) ? those : 0)));
      // Without its index a statement looks at all of the table.
      const scanning = of(name).filter(({ statement }) => !statement.index && / WHERE | GROUP /.test(statement.text));
      const scans = sum(scanning.map(({ calls }) => calls));
      put('db.table.rows', '{row}', gauge(rows), named);
      put('db.table.rows.changed', '{row}', count(this.#since(`changed ${database.name} ${name}`, changed)), named);
      put('db.table.scans', '{scan}', count(this.#since(`scans ${database.name} ${name}`, scans)), named);
      for (const { name: index, megabytes, unique } of indexes) {
        // One that a migration has lost is not there to be counted.
        if (of(name).some(({ statement }) => statement.index === index && database.isFullScan(statement))) continue;
        const own = { ...named, 'db.index.name': index, 'db.index.unique': String(unique) };
        const used = sum(of(name).map(({ statement, calls }) => (statement.index === index ? calls : 0)));
        put('db.index.scans', '{scan}', count(this.#since(`index ${database.name} ${index}`, used)), own);
        put('db.index.size', 'By', gauge(megabytes * MIB), own);
      }
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

/** The share of the time in which some waited for a core, or for another resource. */
function pressure(
  put: (name: string, unit: string, value: Value, attributes: Attributes) => void,
  share: number,
  of: 'cpu' | 'io' | 'memory' = 'cpu',
): void {
  put('system.pressure', '1', gauge(Math.min(1, share)), { 'system.pressure.resource': of, 'system.pressure.kind': 'some' });
}

/** MiB that work on a host holds without being noticed. */
const USUAL_WORK = 180;

/** Tables and indexes are counted every so many minutes. */
const TABLES_EVERY = 5n;

function isTableMinute(world: World): boolean {
  return (clock(world) / 60_000_000_000n) % TABLES_EVERY === 0n;
}

const sum = (of: readonly number[]) => of.reduce((total, it) => total + it, 0);
