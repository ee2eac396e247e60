import { basename } from 'node:path';
import { entriesOf, numbersOf, type Roots, textOf } from './files.ts';

/** A group of processes that the kernel accounts for together: a container, or a service of the system. */
export interface Container {
  /** The path below the root of the groups. */
  readonly path: string;
  readonly name: string;
  /** Seconds of CPU since it began, and seconds in which it was held back at its limit. */
  readonly cpu: number;
  readonly throttled: number;
  /** Bytes. */
  readonly memory: number;
  /** Bytes and cores; undefined for no limit. */
  readonly memoryLimit: number | undefined;
  readonly cpuLimit: number | undefined;
  /** Processes of it that were killed since its memory was full. */
  readonly killed: number;
}

/** Groups that are read, and how deep they lie. */
const MOST = 2_000;
const DEEPEST = 12;
/** How container runtimes name their groups: `docker-ID.scope`, `crio-ID.scope`, `cri-containerd-ID.scope`, or the bare id. */
const RUNTIME = /^(?:(?:docker|crio|cri-containerd|libpod|nerdctl)-)?([0-9a-f]{64})(?:\.scope)?$/;

/** What a group is called: the beginning of a container's id, else the name of its folder. */
export function containerName(path: string): string {
  const name = basename(path);
  const id = RUNTIME.exec(name)?.[1];
  return id ? id.slice(0, 12) : name.replace(/\.(scope|service|slice)$/, '');
}

/** All groups of version 2 that hold processes (the kernel's cgroup-v2 document). Empty where there is no version 2. */
export function containersOf({ sys }: Roots): Container[] {
  const root = `${sys}/fs/cgroup`;
  const base = textOf(root, 'cgroup.controllers') !== '' ? root : `${root}/unified`;
  const found: Container[] = [];
  const open: { path: string; depth: number }[] = [{ path: '', depth: 0 }];
  for (let it = open.pop(); it && found.length < MOST; it = open.pop()) {
    const { path, depth } = it;
    const stat = path === '' ? '' : textOf(base, path, 'cpu.stat');
    // A group without processes only holds others.
    if (stat !== '' && textOf(base, path, 'cgroup.procs').trim() !== '') found.push(read(base, path, stat));
    if (depth < DEEPEST)
      for (const name of entriesOf(base, path))
        if (!name.includes('.') || /\.(slice|scope|service|mount)$/.test(name))
          open.push({ path: `${path}/${name}`, depth: depth + 1 });
  }
  return found;
}

function read(base: string, path: string, stat: string): Container {
  const times = numbersOf(stat);
  const [quota, period] = textOf(base, path, 'cpu.max').trim().split(' ').map(Number);
  const limit = Number(textOf(base, path, 'memory.max').trim());
  return {
    path,
    name: containerName(path),
    cpu: (times.get('usage_usec') ?? 0) / 1e6,
    throttled: (times.get('throttled_usec') ?? 0) / 1e6,
    memory: Number(textOf(base, path, 'memory.current').trim()) || 0,
    memoryLimit: limit > 0 ? limit : undefined,
    cpuLimit: quota > 0 && period > 0 ? quota / period : undefined,
    killed: numbersOf(textOf(base, path, 'memory.events')).get('oom_kill') ?? 0,
  };
}
