import { statfsSync } from 'node:fs';
import { join } from 'node:path';
import { entriesOf, numbersOf, type Roots, textOf } from './files.ts';

/** A total since the machine started, or a value of this moment. */
export interface Reading {
  readonly name: string;
  readonly unit: string;
  readonly kind: 'gauge' | 'total';
  readonly value: number;
  readonly attributes: Readonly<Record<string, string>>;
}

/** The kernel counts CPU time in ticks of a hundredth of a second (`USER_HZ`, proc(5)). */
export const TICKS_A_SECOND = 100;
/** The kernel counts disk sectors of this size (block/stat in its documentation). */
const SECTOR = 512;
const MODES = ['user', 'nice', 'system', 'idle', 'iowait', 'interrupt', 'softirq', 'steal'] as const;
/** Devices that are made of others, or of nothing. */
const NO_DISK = /^(loop|ram|zram|dm-|md|sr|fd)/;
const NO_LINK = /^(lo|veth|docker|br-|cni|flannel|cali|virbr)/;
/** File systems that hold no data of their own. */
const NO_DATA =
  /^(proc|sysfs|cgroup2?|devpts|devtmpfs|mqueue|overlay|squashfs|securityfs|debugfs|tracefs|fusectl|configfs|bpf|pstore|autofs|binfmt_misc|hugetlbfs|nsfs|ramfs|9p)$/;

/** What a machine reads of itself at this moment: proc(5), the kernel's iostats and PSI documents. */
export function machineReadings(roots: Roots): Reading[] {
  return [...cpu(roots), ...pressure(roots), ...memory(roots), ...disks(roots), ...fileSystems(roots), ...links(roots)];
}

function gauge(name: string, unit: string, value: number, attributes: Reading['attributes'] = {}): Reading {
  return { name, unit, kind: 'gauge', value, attributes };
}

function total(name: string, unit: string, value: number, attributes: Reading['attributes'] = {}): Reading {
  return { name, unit, kind: 'total', value, attributes };
}

function cpu({ proc }: Roots): Reading[] {
  const text = textOf(proc, 'stat');
  const line = /^cpu\s+(.+)$/m.exec(text)?.[1].split(/\s+/).map(Number) ?? [];
  const running = Number(/^procs_running (\d+)/m.exec(text)?.[1] ?? Number.NaN);
  // What guests compute is in the time of their process already.
  const times = MODES.map((mode, at) => total('system.cpu.time', 's', (line[at] ?? 0) / TICKS_A_SECOND, { 'cpu.mode': mode }));
  return line.length === 0 ? [] : [...times, ...(Number.isNaN(running) ? [] : [gauge('system.cpu.load', '{task}', running)])];
}

function pressure({ proc }: Roots): Reading[] {
  return (['cpu', 'memory', 'io'] as const).flatMap((resource) =>
    [...textOf(proc, 'pressure', resource).matchAll(/^(some|full) .*total=(\d+)/gm)].map(([, kind, micros]) =>
      total('system.pressure', '1', Number(micros) / 1e6, { 'system.pressure.resource': resource, 'system.pressure.kind': kind }),
    ),
  );
}

function memory({ proc }: Roots): Reading[] {
  const sizes = numbersOf(textOf(proc, 'meminfo'));
  const [all, available] = [sizes.get('MemTotal'), sizes.get('MemAvailable')];
  if (!all || available === undefined) return [];
  return [
    gauge('system.memory.limit', 'By', all * 1024),
    gauge('system.memory.usage', 'By', (all - available) * 1024, { 'system.memory.state': 'used' }),
  ];
}

function disks({ proc, sys }: Roots): Reading[] {
  const parts = new Set(entriesOf(sys, 'block').filter((name) => !NO_DISK.test(name)));
  return textOf(proc, 'diskstats')
    .split('\n')
    .flatMap((line) => {
      const [, , device, reads, , sectorsRead, readMs, writes, , sectorsWritten, writeMs, , busyMs] = line.trim().split(/\s+/);
      if (!device || busyMs === undefined || (parts.size > 0 ? !parts.has(device) : NO_DISK.test(device))) return [];
      const of = (direction: string) => ({ 'system.device': device, 'disk.io.direction': direction });
      return [
        total('system.disk.io', 'By', Number(sectorsRead) * SECTOR, of('read')),
        total('system.disk.io', 'By', Number(sectorsWritten) * SECTOR, of('write')),
        total('system.disk.operations', '{operation}', Number(reads), of('read')),
        total('system.disk.operations', '{operation}', Number(writes), of('write')),
        total('system.disk.operation_time', 's', Number(readMs) / 1e3, of('read')),
        total('system.disk.operation_time', 's', Number(writeMs) / 1e3, of('write')),
        total('system.disk.io_time', 's', Number(busyMs) / 1e3, { 'system.device': device }),
      ];
    });
}

function fileSystems({ proc }: Roots): Reading[] {
  const seen = new Set<string>();
  return textOf(proc, '1', 'mounts')
    .split('\n')
    .flatMap((line) => {
      const [device, escaped, type] = line.split(' ');
      if (!escaped || NO_DATA.test(type) || /^\/(proc|sys|dev)(\/|$)/.test(escaped)) return [];
      // One that is mounted several times is one.
      if (type !== 'tmpfs' && seen.has(device)) return [];
      seen.add(device);
      const mountpoint = escaped.replace(/\\(\d{3})/g, (_, octal: string) => String.fromCharCode(Number.parseInt(octal, 8)));
      try {
        const { blocks, bfree, bavail } = statfsSync(join(proc === '/proc' ? '/' : join(proc, '1', 'root'), mountpoint));
        const used = blocks - bfree;
        // As df says it: of what users may fill.
        return used + bavail > 0
          ? [gauge('system.filesystem.utilization', '1', used / (used + bavail), { 'system.filesystem.mountpoint': mountpoint })]
          : [];
      } catch {
        return [];
      }
    });
}

function links({ proc }: Roots): Reading[] {
  const devices = textOf(proc, '1', 'net', 'dev')
    .split('\n')
    .flatMap((line) => {
      const match = /^\s*([^\s:]+):\s*(.+)$/.exec(line);
      if (!match || NO_LINK.test(match[1])) return [];
      const numbers = match[2].trim().split(/\s+/).map(Number);
      const of = (direction: string) => ({ 'network.interface.name': match[1], 'network.io.direction': direction });
      return [
        total('system.network.io', 'By', numbers[0], of('receive')),
        total('system.network.io', 'By', numbers[8], of('transmit')),
      ];
    });
  const [names, values] = textOf(proc, '1', 'net', 'snmp')
    .split('\n')
    .filter((line) => line.startsWith('Tcp:'))
    .map((line) => line.split(' '));
  const tcp = (name: string) => Number(values?.[names.indexOf(name)]);
  const [sent, again] = [tcp('OutSegs'), tcp('RetransSegs')];
  if (!names || Number.isNaN(sent) || Number.isNaN(again)) return devices;
  // The kernel counts those that it sends again apart.
  return [
    ...devices,
    total('system.network.segments', '{segment}', sent, { 'network.segment.state': 'sent' }),
    total('system.network.segments', '{segment}', again, { 'network.segment.state': 'retransmitted' }),
  ];
}
