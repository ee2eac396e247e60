import type { HostProcess } from '../../src/formats/events/hostProcess.ts';
import { HOST_JOBS } from '../company/jobs.ts';
import { DATABASES } from '../company/services.ts';
import { MIB, MINUTE } from '../simulation/units.ts';
import type { Instance, Machine } from '../world/instance.ts';
import type { World } from '../world/world.ts';
import { event, reporter } from './events.ts';
import { jobId } from './inventory.ts';
import { objectEvent } from './objectEvents.ts';

/** What programs of a language are called by the system. */
const PROGRAMS = { nodejs: 'node', go: '', java: 'java', python: 'python3' } as const;

/** What each host and machine has been busy with, once a minute, and which of its jobs ran. To be called before the meters are reset. */
export class ProcessReports {
  readonly #before = new Map<string, number>();
  #minute = 0;

  report(world: World): void {
    const pods = [...world.instances.values()].flat();
    for (const machine of world.machines.values())
      this.#tell(world, machine.name, [
        ...pods.filter((it) => it.machine === machine).map(processOf),
        ...this.#neighbours(machine, pods),
        { ...NOTHING, name: 'machine-agent', cores: 0.01, memory: 38 * MIB },
      ]);
    for (const [name, host] of world.hosts) {
      if (world.machines.has(name)) continue;
      const server = Object.entries(DATABASES).find(([, it]) => it.host === name)?.[0];
      const guests = [...world.machines.values()].filter((it) => it.iron === host);
      this.#tell(world, name, [
        ...guests.map((machine) => {
          const { used, stolen } = machine.processor.figures;
          const cores = this.#since(`used ${machine.name}`, used) / MINUTE;
          const wants = cores + this.#since(`stolen ${machine.name}`, stolen) / MINUTE;
          return {
            ...NOTHING,
            name: machine.name,
            container: machine.name,
            cores,
            wants,
            memory: 2048 * machine.processor.cores * MIB,
          };
        }),
        ...[...host.jobs].map(([job, { cores: wants, memory, reads }]) => ({
          ...NOTHING,
          name: job,
          job: jobId(job, name),
          cores: Math.min(wants, host.own),
          wants,
          memory: memory * MIB,
          reads: reads * MIB * Math.min(1, host.own / wants),
        })),
        ...(server ? [this.#server(world, server)] : []),
        { ...NOTHING, name: 'machine-agent', cores: 0.02, memory: 52 * MIB },
      ]);
      for (const { name: job, everyMinutes, seconds } of HOST_JOBS)
        if (everyMinutes !== undefined && this.#minute % everyMinutes === 0)
          objectEvent(world, 'job', jobId(job, name), job, 'done', `done in ${seconds} s`);
    }
    this.#minute++;
  }

  /** What computes on a machine beside the company's pods: what these leave of what was used. */
  #neighbours({ name: machine, neighbours, processor }: Machine, pods: readonly Instance[]): HostProcess[] {
    const used = this.#since(`all on ${machine}`, processor.figures.used) / MINUTE;
    if (neighbours.size === 0) return [];
    const own = pods.filter((it) => it.machine.name === machine).reduce((sum, { meters }) => sum + meters.cpu / MINUTE, 0);
    const tasks = [...neighbours.values()].reduce((sum, it) => sum + it, 0);
    return [...neighbours].map(([name, part]) => {
      const cores = (Math.max(0, used - own) * part) / tasks;
      return { ...NOTHING, name, cores, wants: Math.min(part, processor.cores), memory: 320 * MIB };
    });
  }

  #server(world: World, name: string): HostProcess {
    const cores = this.#since(`server ${name}`, world.databases.get(name)!.processor.figures.used) / MINUTE;
    return { ...NOTHING, name: 'postgres', cores, wants: cores, memory: 8_192 * MIB };
  }

  #tell(world: World, host: string, processes: readonly HostProcess[]): void {
    event(world, reporter(`processes of ${host}`, { 'host.name': host }), 'lantern.host.processes', {
      'host.name': host,
      'lantern.processes': processes.map(({ cores, wants, ...it }) => ({
        ...it,
        cores: Number(cores.toFixed(3)),
        wants: Number(Math.max(cores, wants).toFixed(3)),
      })),
    });
  }

  #since(name: string, now: number): number {
    const before = this.#before.get(name) ?? 0;
    this.#before.set(name, now);
    return now - before;
  }
}

const NOTHING: HostProcess = { name: '', pid: 0, cores: 0, wants: 0, memory: 0, reads: 0, writes: 0, container: '', job: '' };

function processOf({ id, service, form, meters, resident, isUp }: Instance): HostProcess {
  return {
    ...NOTHING,
    name: PROGRAMS[form.language] || service,
    container: id,
    cores: meters.cpu / MINUTE,
    wants: (meters.cpu + meters.cpuWait) / MINUTE,
    memory: isUp ? Math.round(resident) : 0,
  };
}
