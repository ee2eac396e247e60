import { busiest } from '../../src/core/machines/takers.ts';
import type { HostProcess } from '../../src/formats/events/hostProcess.ts';
import { MOST_PROCESSES } from '../../src/formats/events/hostProcess.ts';
import { containerName } from './containers.ts';
import { entriesOf, numbersOf, type Roots, textOf } from './files.ts';
import { TICKS_A_SECOND } from './machine.ts';

/** A process at a moment; times in seconds since it began. */
interface Seen {
  readonly name: string;
  readonly parent: number;
  readonly cpu: number;
  readonly waited: number;
  readonly memory: number;
  readonly read: number;
  readonly written: number;
  readonly group: string;
  /** Tells a process from a later one with the same number. */
  readonly began: string;
}

const MOST_READ = 20_000;
const PAGE = 4096;
/** Groups of a system that are no containers. */
const OF_SYSTEM = /^\/($|user\.slice|system\.slice|init\.scope)/;

/** What processes did between two looks: proc(5), schedstat of the kernel's scheduler. */
export class ProcessWatch {
  readonly #roots: Roots;
  #before = new Map<number, Seen>();
  #at = 0;
  /** The command lines of processes that are there. */
  #commands = new Map<number, string>();

  constructor(roots: Roots) {
    this.#roots = roots;
  }

  /** @param nowMs by any steady clock @returns the busiest since the last look; empty at the first */
  look(nowMs: number): HostProcess[] {
    const now = new Map<number, Seen>();
    for (const entry of entriesOf(this.#roots.proc)) {
      if (now.size >= MOST_READ) break;
      const seen = /^\d+$/.test(entry) ? this.#read(entry) : undefined;
      if (seen) now.set(Number(entry), seen);
    }
    const seconds = (nowMs - this.#at) / 1_000;
    const isFirst = this.#at === 0;
    const sums = new Map<string, HostProcess>();
    for (const [pid, it] of isFirst ? [] : now) {
      const former = this.#before.get(pid);
      const was = former?.began === it.began ? former : undefined;
      // One that is new has done all of it since the last look.
      const since = (of: 'cpu' | 'waited' | 'read' | 'written') => Math.max(0, it[of] - (was?.[of] ?? 0)) / seconds;
      const container = OF_SYSTEM.test(it.group) ? '' : containerName(it.group);
      const key = `${it.name}\0${container}`;
      const sum = sums.get(key);
      const cores = since('cpu');
      sums.set(key, {
        name: it.name,
        container,
        job: '',
        pid: sum?.pid ?? pid,
        cores: (sum?.cores ?? 0) + cores,
        wants: (sum?.wants ?? 0) + cores + since('waited'),
        memory: (sum?.memory ?? 0) + it.memory,
        reads: (sum?.reads ?? 0) + since('read'),
        writes: (sum?.writes ?? 0) + since('written'),
      });
    }
    this.#before = now;
    this.#at = nowMs;
    for (const pid of this.#commands.keys()) if (!now.has(pid)) this.#commands.delete(pid);
    return busiest([...sums.values()], MOST_PROCESSES);
  }

  /** The processes of the last look, with who started each. */
  get present(): ReadonlyMap<number, Pick<Seen, 'name' | 'parent' | 'group' | 'began'>> {
    return this.#before;
  }

  commandOf(pid: number): string {
    let command = this.#commands.get(pid);
    if (command === undefined) {
      command = textOf(this.#roots.proc, String(pid), 'cmdline').replaceAll('\0', ' ').trim();
      this.#commands.set(pid, command);
    }
    return command;
  }

  #read(pid: string): Seen | undefined {
    const { proc } = this.#roots;
    const stat = textOf(proc, pid, 'stat');
    // The name stands in brackets and may hold any.
    const end = stat.lastIndexOf(')');
    if (end < 0) return undefined;
    const fields = stat.slice(end + 2).split(' ');
    const io = numbersOf(textOf(proc, pid, 'io'));
    const group = /^0::(.*)$/m.exec(textOf(proc, pid, 'cgroup'))?.[1] ?? '';
    return {
      name: stat.slice(stat.indexOf('(') + 1, end),
      parent: Number(fields[1]),
      cpu: (Number(fields[11]) + Number(fields[12])) / TICKS_A_SECOND,
      waited: Number(textOf(proc, pid, 'schedstat').split(' ')[1] ?? 0) / 1e9,
      memory: Number(fields[21]) * PAGE,
      read: io.get('read_bytes') ?? 0,
      written: io.get('write_bytes') ?? 0,
      group,
      began: fields[19],
    };
  }
}
