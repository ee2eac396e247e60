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
  /** The id that the runtime gave it, and the uid of the pod that it is a part of; empty where its path does not tell. */
  readonly id: string;
  readonly podUid: string;
}

/** A pod by its group: it stays while its containers are killed and begun anew, each with a group of its own. */
export interface PodGroup {
  readonly uid: string;
  /** Bytes; undefined for no limit. */
  readonly memoryLimit: number | undefined;
  /** Processes in any of its containers that were killed since memory was full. */
  readonly killed: number;
}

/** What the kernel accounts for on a machine. */
export interface Groups {
  readonly containers: readonly Container[];
  readonly pods: readonly PodGroup[];
}

/** Groups that are read, and how deep they lie. */
const MOST = 2_000;
const DEEPEST = 12;
/** How container runtimes name their groups: `docker-ID.scope`, `crio-ID.scope`, `cri-containerd-ID.scope`, or the bare id. */
const RUNTIME = /^(?:(?:docker|crio|cri-containerd|libpod|nerdctl)-)?([0-9a-f]{64})(?:\.scope)?$/;

/** How clusters name the group of a pod, by the two ways of their drivers: `kubepods-burstable-podUID.slice` with lower lines in the uid, or `podUID`. */
const POD = /^(?:kubepods(?:-\w+)?-)?pod([0-9a-f]+(?:[-_][0-9a-f]+)*)(?:\.slice)?$/;

/** The uid of the pod that a group is, or is a part of; empty for none. */
export function podUidOf(path: string): string {
  if (!path.includes('kubepods')) return '';
  for (const part of path.split('/')) {
    const uid = POD.exec(part)?.[1];
    if (uid) return uid.replaceAll('_', '-');
  }
  return '';
}

/** What a group is called: the beginning of a container's id, else the name of its folder. */
export function containerName(path: string): string {
  const name = basename(path);
  const id = RUNTIME.exec(name)?.[1];
  return id ? id.slice(0, 12) : name.replace(/\.(scope|service|slice)$/, '');
}

/** All groups of version 2 that hold processes (the kernel's cgroup-v2 document), and those of pods. Empty where there is no version 2. */
export function groupsOf({ sys }: Roots): Groups {
  const root = `${sys}/fs/cgroup`;
  const base = textOf(root, 'cgroup.controllers') !== '' ? root : `${root}/unified`;
  const containers: Container[] = [];
  const pods: PodGroup[] = [];
  const open: { path: string; depth: number }[] = [{ path: '', depth: 0 }];
  for (let it = open.pop(); it && containers.length < MOST; it = open.pop()) {
    const { path, depth } = it;
    const stat = path === '' ? '' : textOf(base, path, 'cpu.stat');
    // A group without processes only holds others.
    if (stat !== '' && textOf(base, path, 'cgroup.procs').trim() !== '') containers.push(read(base, path, stat));
    else if (POD.test(basename(path))) {
      const uid = podUidOf(path);
      if (uid && pods.length < MOST) pods.push({ uid, memoryLimit: limitOf(base, path), killed: killedIn(base, path) });
    }
    if (depth < DEEPEST)
      for (const name of entriesOf(base, path))
        if (!name.includes('.') || /\.(slice|scope|service|mount)$/.test(name))
          open.push({ path: `${path}/${name}`, depth: depth + 1 });
  }
  return { containers, pods };
}

function limitOf(base: string, path: string): number | undefined {
  const limit = Number(textOf(base, path, 'memory.max').trim());
  return limit > 0 ? limit : undefined;
}

/** Of a group and all that lie in it. */
function killedIn(base: string, path: string): number {
  return numbersOf(textOf(base, path, 'memory.events')).get('oom_kill') ?? 0;
}

function read(base: string, path: string, stat: string): Container {
  const times = numbersOf(stat);
  const [quota, period] = textOf(base, path, 'cpu.max').trim().split(' ').map(Number);
  return {
    path,
    name: containerName(path),
    cpu: (times.get('usage_usec') ?? 0) / 1e6,
    throttled: (times.get('throttled_usec') ?? 0) / 1e6,
    memory: Number(textOf(base, path, 'memory.current').trim()) || 0,
    memoryLimit: limitOf(base, path),
    cpuLimit: quota > 0 && period > 0 ? quota / period : undefined,
    killed: killedIn(base, path),
    id: RUNTIME.exec(basename(path))?.[1] ?? '',
    podUid: podUidOf(path),
  };
}
