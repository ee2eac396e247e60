import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { freemem, tmpdir, totalmem } from 'node:os';
import { dirname, join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { Increments } from '../sending/increments.ts';
import { containerName, groupsOf, podUidOf } from './containers.ts';
import type { Roots } from './files.ts';
import { JobWatch, jobsOf } from './jobs.ts';
import { machineReadings } from './machine.ts';
import { hostOptions } from './options.ts';
import { ProcessWatch } from './processes.ts';

const HERE: Roots = { proc: '/proc', sys: '/sys', etc: '/etc' };
const folder = mkdtempSync(join(tmpdir(), 'dusk-host-'));
let roots: Roots;
let nth = 0;
beforeEach(() => {
  const own = join(folder, String(nth++));
  roots = { proc: join(own, 'proc'), sys: join(own, 'sys'), etc: join(own, 'etc') };
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

function put(path: string, text: string): void {
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, text);
}

const value = (readings: ReturnType<typeof machineReadings>, name: string, attribute = '') =>
  readings.find((it) => it.name === name && (attribute === '' || Object.values(it.attributes).includes(attribute)))?.value;

describe('this machine', () => {
  it('has the figures of the kernel', () => {
    const before = readFileSync('/proc/stat', 'utf8').split('\n')[0].split(/\s+/).slice(1).map(Number);
    const readings = machineReadings(HERE);
    const after = readFileSync('/proc/stat', 'utf8').split('\n')[0].split(/\s+/).slice(1).map(Number);
    for (const [at, mode] of ['user', 'nice', 'system', 'idle'].entries()) {
      const seconds = value(readings, 'system.cpu.time', mode)!;
      expect(seconds).toBeGreaterThanOrEqual(before[at] / 100);
      expect(seconds).toBeLessThanOrEqual(after[at] / 100);
    }
    const total = Number(/^MemTotal:\s+(\d+)/m.exec(readFileSync('/proc/meminfo', 'utf8'))![1]) * 1024;
    expect(value(readings, 'system.memory.limit')).toBe(total);
    // What is used, as the runtime says it, within two per cent of all.
    expect(Math.abs(value(readings, 'system.memory.usage')! - (totalmem() - freemem()))).toBeLessThan(0.02 * total);
  });

  it('names a process that computes all the time, with the core that it takes', async () => {
    const script =
      'const end = Date.now() + 2500; let x = 0; while (Date.now() < end) x += Math.sqrt(x + 1); process.stdout.write(JSON.stringify(process.cpuUsage()))';
    const watch = new ProcessWatch(HERE);
    const hog: ChildProcess = spawn(process.execPath, ['-e', script], { stdio: ['ignore', 'pipe', 'ignore'] });
    await sleep(400);
    const began = performance.now();
    expect(watch.look(began)).toEqual([]);
    const usedThen = ticksOf(hog.pid!);
    await sleep(1_500);
    const now = performance.now();
    const used = ticksOf(hog.pid!) - usedThen;
    const found = watch.look(now);
    const own = [...watch.present].find(([pid]) => pid === hog.pid);
    expect(own?.[1].name).toBe(readFileSync(`/proc/${hog.pid}/comm`, 'utf8').trim());
    const cores = used / 100 / ((now - began) / 1_000);
    expect(cores).toBeGreaterThan(0.2);
    // Of all of its name together; there may be others.
    const listed = found.find(({ name }) => name === own![1].name)!;
    expect(listed.cores).toBeGreaterThanOrEqual(cores - 0.04);
    expect(listed.wants).toBeGreaterThanOrEqual(listed.cores);
    expect(watch.commandOf(hog.pid!)).toContain('Math.sqrt');
    await once(hog, 'exit');
  }, 20_000);
});

function ticksOf(pid: number): number {
  const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
  const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
  return Number(fields[11]) + Number(fields[12]);
}

describe('a machine as the kernel shows it', () => {
  it('has pressure, disks without parts, and what TCP sent again', () => {
    put(
      join(roots.proc, 'pressure', 'cpu'),
      'some avg10=1.00 avg60=2.00 avg300=3.00 total=4500000\nfull avg10=0.00 avg60=0.00 avg300=0.00 total=0\n',
    );
    put(
      join(roots.proc, 'diskstats'),
      '   8 0 sda 100 0 2000 300 50 0 1000 200 0 450 500\n   8 1 sda1 100 0 2000 300 50 0 1000 200 0 450 500\n   7 0 loop0 9 0 9 9 9 0 9 9 0 9 9\n',
    );
    mkdirSync(join(roots.sys, 'block', 'sda'), { recursive: true });
    put(
      join(roots.proc, '1', 'net', 'dev'),
      'Inter-|\n face |\n    lo: 5 0 0 0 0 0 0 0 5 0 0 0 0 0 0 0\n  eth0: 1000 1 0 0 0 0 0 0 3000 1 0 0 0 0 0 0\n',
    );
    put(join(roots.proc, '1', 'net', 'snmp'), 'Tcp: RtoAlgorithm OutSegs RetransSegs InErrs\nTcp: 1 5000 40 0\n');
    const readings = machineReadings(roots);
    expect(value(readings, 'system.pressure', 'some')).toBe(4.5);
    expect(readings.filter(({ name }) => name === 'system.disk.io_time')).toHaveLength(1);
    expect([value(readings, 'system.disk.io', 'read'), value(readings, 'system.disk.operation_time', 'write')]).toEqual([
      2000 * 512,
      0.2,
    ]);
    expect(readings.filter(({ name }) => name === 'system.network.io').map((it) => it.value)).toEqual([1000, 3000]);
    expect([
      value(readings, 'system.network.segments', 'sent'),
      value(readings, 'system.network.segments', 'retransmitted'),
    ]).toEqual([5000, 40]);
    // What is not there is left out.
    expect(readings.some(({ name }) => name.startsWith('system.cpu') || name.startsWith('system.memory'))).toBe(false);
  });

  it('has a file system that is full', () => {
    const mountpoint = join(folder, 'small disk');
    mkdirSync(mountpoint, { recursive: true });
    const isMounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=1m', 'tmpfs', mountpoint]).status === 0;
    const place = isMounted ? mountpoint : '/dev/shm';
    try {
      if (isMounted) writeFileSync(join(mountpoint, 'fill'), Buffer.alloc(1_040_000));
      const escaped = place.replaceAll(' ', '\\040');
      put(join(roots.proc, '1', 'mounts'), `proc /proc proc rw 0 0\ntmpfs ${escaped} tmpfs rw 0 0\n`);
      spawnSync('ln', ['-s', '/', join(roots.proc, '1', 'root')]);
      const full = value(machineReadings(roots), 'system.filesystem.utilization', place)!;
      const { blocks, bfree, bavail } = statfsSync(place);
      expect(full).toBeCloseTo((blocks - bfree) / (blocks - bfree + bavail), 3);
      if (isMounted) expect(full).toBeGreaterThan(0.98);
    } finally {
      if (isMounted) spawnSync('umount', [mountpoint]);
    }
  });

  it('has containers with their limits, what held them back, and what was killed', () => {
    const id = 'a1b2c3d4e5f6'.padEnd(64, '0');
    const group = (path: string, files: Record<string, string>) => {
      for (const [name, text] of Object.entries(files)) put(join(roots.sys, 'fs/cgroup', path, name), text);
    };
    group('', { 'cgroup.controllers': 'cpu memory' });
    group(`kubepods.slice/kubepods-pod1.slice/cri-containerd-${id}.scope`, {
      'cgroup.procs': '12\n13\n',
      'cpu.stat': 'usage_usec 8000000\nuser_usec 6000000\nnr_periods 100\nnr_throttled 40\nthrottled_usec 2500000\n',
      'cpu.max': '50000 100000\n',
      'memory.current': '104857600\n',
      'memory.max': '134217728\n',
      'memory.events': 'low 0\nhigh 0\nmax 12\noom 3\noom_kill 2\n',
    });
    group('system.slice/cron.service', {
      'cgroup.procs': '9\n',
      'cpu.stat': 'usage_usec 1000\n',
      'memory.max': 'max\n',
      'cpu.max': 'max 100000\n',
    });
    group('empty.slice', { 'cgroup.procs': '', 'cpu.stat': 'usage_usec 5\n' });
    const { containers: found } = groupsOf(roots);
    expect(found.find(({ name }) => name === 'a1b2c3d4e5f6')).toMatchObject({
      cpu: 8,
      throttled: 2.5,
      cpuLimit: 0.5,
      memory: 100 * 2 ** 20,
      memoryLimit: 128 * 2 ** 20,
      killed: 2,
    });
    expect(found.find(({ name }) => name === 'cron')).toMatchObject({ cpuLimit: undefined, memoryLimit: undefined, killed: 0 });
    expect(found.map(({ name }) => name)).not.toContain('empty');
    expect(containerName(`/docker/${id}`)).toBe('a1b2c3d4e5f6');
    // The group of a pod stays while its containers come and go.
    group('kubepods.slice/kubepods-burstable.slice/kubepods-burstable-podab12_34cd.slice', {
      'cgroup.procs': '',
      'cpu.stat': 'usage_usec 5\n',
      'memory.max': '1048576\n',
      'memory.events': 'oom_kill 4\n',
    });
    const { pods } = groupsOf(roots);
    expect(pods.find(({ uid }) => uid === 'ab12-34cd')).toEqual({ uid: 'ab12-34cd', memoryLimit: 2 ** 20, killed: 4 });
    expect(
      [
        `/kubepods.slice/kubepods-pod1f_2a.slice/cri-containerd-${id}.scope`,
        `/kubepods/besteffort/pod1f-2a/${id}`,
        '/system.slice/podman.service',
        '/user.slice/pod1f.slice',
      ].map(podUidOf),
    ).toEqual(['1f-2a', '1f-2a', '', '']);
    expect(groupsOf({ ...roots, sys: '/nowhere' })).toEqual({ containers: [], pods: [] });
  });

  it('has jobs, which are noticed when they run', () => {
    put(join(roots.etc, 'systemd/system/backup.timer'), '[Timer]\nOnCalendar=*-*-* 03:10:00\n');
    put(join(roots.etc, 'systemd/system/backup.service'), '[Service]\nExecStart=/opt/backup --all\n');
    put(
      join(roots.etc, 'cron.d/rotate'),
      'SHELL=/bin/sh\n# each hour\n0 * * * * root /usr/sbin/rotate.sh --quick\n@reboot root /opt/begin\n',
    );
    const jobs = jobsOf(roots);
    expect(jobs).toEqual([
      { name: 'backup', schedule: '*-*-* 03:10:00', command: '/opt/backup --all', unit: 'backup.service' },
      { name: 'rotate.sh', schedule: '0 * * * *', command: '/usr/sbin/rotate.sh --quick', unit: '' },
      { name: 'begin', schedule: '@reboot', command: '/opt/begin', unit: '' },
    ]);
    const process = (pid: number, name: string, parent: number, group: string, command: string) => {
      put(join(roots.proc, String(pid), 'stat'), `${pid} (${name}) S ${parent} 0 0 0 0 0 0 0 0 0 10 5 0 0 0 0 0 0 777 0 100`);
      put(join(roots.proc, String(pid), 'cgroup'), `0::${group}\n`);
      put(join(roots.proc, String(pid), 'cmdline'), command.replaceAll(' ', '\0'));
    };
    process(10, 'cron', 1, '/system.slice/cron.service', 'cron');
    const [watch, turns] = [new ProcessWatch(roots), new JobWatch(jobs)];
    const look = (ms: number) => {
      watch.look(ms);
      return turns.look(watch, ms).map(({ job, is, seconds }) => [job.name, is, seconds]);
    };
    expect(look(1_000)).toEqual([]);
    process(20, 'tar (odd) name', 1, '/system.slice/backup.service', 'tar c /');
    process(31, 'sh', 10, '/system.slice/cron.service', 'sh /usr/sbin/rotate.sh --quick');
    // The same program, started by hand, is no run of the job.
    expect(look(61_000)).toEqual(
      expect.arrayContaining([
        ['backup', 'began', 0],
        ['rotate.sh', 'began', 0],
      ]),
    );
    expect(watch.present.get(20)?.name).toBe('tar (odd) name');
    rmSync(join(roots.proc, '31'), { recursive: true });
    expect(look(121_000)).toEqual([['rotate.sh', 'done', 60]]);
  });
});

it('counts that fell began anew', () => {
  const increments = new Increments();
  expect([increments.since('a', 5), increments.since('a', 8), increments.since('a', 2)]).toEqual([undefined, 3, 2]);
});

it('options that are not usable are refused in words', () => {
  expect(hostOptions(['--name', 'quay-9', '--vm'])).toMatchObject({ name: 'quay-9', type: 'vm', everyMs: 15_000 });
  expect(() => hostOptions(['--every', '5m'])).toThrow(/--every 5m/);
  expect(existsSync(hostOptions([]).roots.proc)).toBe(true);
});
