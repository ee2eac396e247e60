import { availableParallelism } from 'node:os';
import { setTimeout as sleep } from 'node:timers/promises';
import { LRUCache } from 'lru-cache';
import { podByUid } from '../../src/core/machines/pods/podUids.ts';
import type { Attributes } from '../../src/core/trace/span.ts';
import type { OutgoingPoint } from '../../src/formats/otlp/record/encodeMetrics.ts';
import { Increments } from '../sending/increments.ts';
import { Outbox } from '../sending/outbox.ts';
import { type Container, groupsOf, type PodGroup } from './containers.ts';
import { numbersOf, type Roots, textOf } from './files.ts';
import { type Job, JobWatch, jobsOf } from './jobs.ts';
import { machineReadings } from './machine.ts';
import type { HostOptions } from './options.ts';
import { ProcessWatch } from './processes.ts';

const SCOPE = { name: 'dusk-lantern-collector', version: '1' };
/** What hardly ever changes is sent this often. */
const INVENTORY_MS = 600_000;
/** Processes, and containers that hardly use anything, are sent once a minute. */
const MINUTE_MS = 60_000;
const MOST_CONTAINERS = 300;
/** Groups of which it is remembered how many were killed: more than are read at once. */
const MOST_REMEMBERED = 10_000;

function atLimit(bytes: number | undefined): string {
  return `at its memory limit${bytes === undefined ? '' : ` of ${Math.round(bytes / 2 ** 20)} MiB`}`;
}

type Event = (name: string, attributes: Attributes) => void;

/** Reads a machine every few seconds until it is told to stop, and sends what it read. */
export class HostCollector {
  readonly #options: HostOptions;
  readonly #roots: Roots;
  readonly #outbox: Outbox;
  readonly #resource: Attributes;
  readonly #increments = new Increments();
  readonly #processes: ProcessWatch;
  readonly #jobs: readonly Job[];
  readonly #jobWatch: JobWatch;
  readonly #killed = new LRUCache<string, number>({ max: MOST_REMEMBERED });
  #lastMs = 0;
  #stopped = false;

  constructor(options: HostOptions, say: (words: string) => void) {
    this.#options = options;
    this.#roots = options.roots;
    this.#outbox = new Outbox(options.to, say);
    this.#resource = { 'service.name': `collector of ${options.name}`, 'host.name': options.name, 'host.type': options.type };
    this.#processes = new ProcessWatch(options.roots);
    this.#jobs = jobsOf(options.roots);
    this.#jobWatch = new JobWatch(this.#jobs);
  }

  stop(): void {
    this.#stopped = true;
  }

  async run(): Promise<void> {
    let [nextMinute, nextInventory] = [0, 0];
    while (!this.#stopped) {
      const began = Date.now();
      if (began >= nextInventory) {
        nextInventory = began + INVENTORY_MS;
        this.#inventory();
      }
      this.round(began);
      if (began >= nextMinute) {
        nextMinute = Math.floor(began / MINUTE_MS + 1) * MINUTE_MS;
        this.#minute();
      }
      for (let left = this.#options.everyMs - (Date.now() - began); left > 0 && !this.#stopped; left -= 200)
        await sleep(Math.min(200, left));
    }
    await this.#outbox.end();
  }

  /** One reading. @param nowMs epoch milliseconds */
  round(nowMs: number): void {
    const time = BigInt(nowMs) * 1_000_000n;
    const start = this.#lastMs === 0 ? undefined : BigInt(this.#lastMs) * 1_000_000n;
    const seconds = (nowMs - this.#lastMs) / 1_000;
    this.#lastMs = nowMs;
    const points: OutgoingPoint[] = [];
    const put = (resource: Attributes, name: string, unit: string, attributes: Attributes, value: OutgoingPoint['value']) =>
      points.push({ resource, scope: SCOPE, name, unit, attributes, start: start ?? time, time, value });
    for (const { name, unit, kind, value, attributes } of machineReadings(this.#roots)) {
      if (kind === 'gauge') {
        put(this.#resource, name, unit, attributes, { kind: 'gauge', number: value });
        continue;
      }
      const grown = this.#increments.since(`${name} ${Object.values(attributes).join(' ')}`, value);
      if (grown === undefined || start === undefined) continue;
      // Of pressure it is the share of the time that is worth knowing.
      if (name === 'system.pressure')
        put(this.#resource, name, unit, attributes, { kind: 'gauge', number: Math.min(1, grown / seconds) });
      else put(this.#resource, name, unit, attributes, { kind: 'count', number: grown });
    }
    const { containers, pods } = groupsOf(this.#roots);
    const busiest = [...containers].sort((a, b) => b.cpu - a.cpu || b.memory - a.memory).slice(0, MOST_CONTAINERS);
    for (const it of busiest) this.#container(it, put, start !== undefined);
    // Of all, not of the busiest alone: what was killed before one of them got busy is not new then.
    for (const it of containers) this.#containerKills(it, start !== undefined);
    for (const it of pods) {
      const resource = { ...this.#resource, 'k8s.pod.uid': it.uid };
      put(resource, 'lantern.container.oom_kills', '{kill}', {}, { kind: 'gauge', number: it.killed });
      this.#podKills(it, containers, start !== undefined);
    }
    this.#outOfMemory();
    this.#outbox.points(points);
  }

  #container(
    { path, name, cpu, throttled, memory, memoryLimit, cpuLimit, id, podUid }: Container,
    put: (resource: Attributes, name: string, unit: string, attributes: Attributes, value: OutgoingPoint['value']) => void,
    isKnown: boolean,
  ): void {
    const resource = {
      ...this.#resource,
      'container.name': name,
      ...(id ? { 'container.id': id } : {}),
      ...(podUid ? { 'k8s.pod.uid': podUid } : {}),
    };
    const gauge = (measure: string, unit: string, number: number) => put(resource, measure, unit, {}, { kind: 'gauge', number });
    for (const [measure, value] of [
      ['container.cpu.time', cpu],
      ['container.cpu.throttled.time', throttled],
    ] as const) {
      const grown = this.#increments.since(`${measure} ${path}`, value);
      if (grown !== undefined && isKnown) put(resource, measure, 's', {}, { kind: 'count', number: grown });
    }
    gauge('container.memory.usage', 'By', memory);
    if (memoryLimit !== undefined) gauge('k8s.container.memory.limit', 'By', memoryLimit);
    if (cpuLimit !== undefined) gauge('k8s.container.cpu.limit', '{cpu}', cpuLimit);
  }

  #containerKills({ path, name, memoryLimit, killed, podUid }: Container, isKnown: boolean): void {
    // Kills in a pod are read from the pod's group: the container's own group is removed with the container.
    const grown = podUid ? 0 : this.#killedSince(path, killed, isKnown);
    if (grown > 0)
      this.#happened('pod', `pod ${name}`, name, 'OOMKilled', `a process of ${name} was killed ${atLimit(memoryLimit)}`, grown);
  }

  #podKills({ uid, memoryLimit, killed }: PodGroup, containers: readonly Container[], isKnown: boolean): void {
    const grown = this.#killedSince(`pod ${uid}`, killed, isKnown);
    if (grown === 0) return;
    const own = containers.filter(({ podUid }) => podUid === uid);
    const limit = memoryLimit ?? (own.length === 1 ? own[0].memoryLimit : undefined);
    // Only the cluster knows its name; the inventory of pods says which pod has this uid.
    this.#happened('pod', podByUid(uid), uid, 'OOMKilled', `a process in it was killed ${atLimit(limit)}`, grown);
  }

  /** How many more were killed than at the last reading. @param isKnown whether there was one: a group that is new since then began at none */
  #killedSince(group: string, killed: number, isKnown: boolean): number {
    const before = this.#killed.get(group) ?? (isKnown ? 0 : killed);
    this.#killed.set(group, killed);
    return Math.max(0, killed - before);
  }

  /** A machine that has no memory left kills by itself. */
  #outOfMemory(): void {
    const killed = numbersOf(textOf(this.#roots.proc, 'vmstat')).get('oom_kill');
    if (killed === undefined) return;
    const { name } = this.#options;
    const grown = this.#increments.since('oom_kill', killed);
    if (grown) this.#happened('host', name, name, 'OOMKilled', `${grown} processes were killed since memory was full`, grown);
  }

  #minute(): void {
    const now = performance.now();
    const processes = this.#processes.look(now);
    for (const { job, is, seconds } of this.#jobWatch.look(this.#processes, now))
      this.#happened(
        'job',
        this.#jobId(job),
        job.name,
        is,
        is === 'done' ? `done in about ${Math.round(seconds)} s` : `${job.name} began`,
      );
    if (processes.length === 0) return;
    this.#event('lantern.host.processes', {
      'host.name': this.#options.name,
      'lantern.processes': processes.map((it) => ({
        ...it,
        cores: Number(it.cores.toFixed(3)),
        wants: Number(it.wants.toFixed(3)),
        reads: Math.round(it.reads),
        writes: Math.round(it.writes),
      })),
    });
  }

  #inventory(): void {
    const { name, type } = this.#options;
    const memory = (numbersOf(textOf(this.#roots.proc, 'meminfo')).get('MemTotal') ?? 0) * 1024;
    const cores = (textOf(this.#roots.proc, 'stat').match(/^cpu\d+ /gm) ?? []).length || availableParallelism();
    this.#object(type, name, name, { cores, memory, kernel: textOf(this.#roots.proc, 'sys', 'kernel', 'osrelease').trim() });
    for (const job of this.#jobs)
      this.#object('job', this.#jobId(job), job.name, { schedule: job.schedule, command: job.command }, name);
  }

  #jobId({ name }: Job): string {
    return `job ${name} on ${this.#options.name}`;
  }

  #object(kind: string, id: string, name: string, detail: Attributes, partOf = ''): void {
    this.#event('lantern.inventory', {
      'lantern.object.kind': kind,
      'lantern.object.id': id,
      'lantern.object.name': name,
      ...(partOf ? { 'lantern.object.part_of': partOf, 'lantern.object.stands_on': partOf } : {}),
      'lantern.object.detail': detail,
    });
  }

  #happened(kind: string, id: string, name: string, reason: string, message: string, count = 1): void {
    this.#event('lantern.object.event', {
      'lantern.object.id': id,
      'lantern.object.kind': kind,
      'lantern.object.name': name,
      'lantern.event.reason': reason,
      'lantern.event.message': message,
      'lantern.event.trouble': reason === 'OOMKilled',
      'lantern.event.count': count,
    });
  }

  readonly #event: Event = (name, attributes) => {
    const time = BigInt(Date.now()) * 1_000_000n;
    this.#outbox.log({ resource: this.#resource, scope: SCOPE, time, severity: 0, body: null, attributes, event: name });
  };
}
