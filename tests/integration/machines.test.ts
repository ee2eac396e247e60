import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { stringify } from 'yaml';
import { watchOnce } from '../../src/server/watch/watch.ts';
import { machineMeasures } from '../../src/store/machines/machineMeasures.ts';
import { type Installation, until } from '../support/installation.ts';
import { BUSY_HOST, installWithHours, KILLED_PODS, windowOf } from '../support/made/companyHours.ts';
import { getJson } from '../support/sending.ts';

/* What is said of machines, of two stretches of the demo's company and of files that were collected. */

let dusk: Installation;
const folder = mkdtempSync(join(tmpdir(), 'dusk-objects-'));
beforeAll(async () => {
  dusk = await installWithHours(BUSY_HOST, KILLED_PODS);
}, 900_000);
afterAll(async () => {
  await dusk?.stop();
  rmSync(folder, { recursive: true, force: true });
});

const ask = (path: string, window = windowOf(BUSY_HOST), more = '') =>
  getJson(dusk.url, `/api/machines/${path}?${window}${more}`);
type Cell = {
  name: string;
  role: string;
  standing: string;
  readings: { rule: string; value: number; usual: { high: number } | null }[];
};

describe('the layers', () => {
  it('name the host that is ill, what takes it, and who suffers; hosts elsewhere are well', async () => {
    const answer = await ask('layers');
    expect(answer.lowest).toMatchObject({ layer: 'host', name: 'quay-3', sure: true, guilt: 'guilty' });
    expect(answer.lowest.cause).toMatchObject({ name: 'backup-all', takes: 'cores', of: 8 });
    expect(answer.lowest.cause.amount).toBeGreaterThan(7);
    expect(answer.lowest.comparison.ratio).toBeGreaterThan(1.5);
    // The beginning and the end are known to the minute or two.
    expect(Math.abs(answer.lowest.since - BUSY_HOST.begins)).toBeLessThanOrEqual(120_000);
    expect(Math.abs(answer.lowest.until - BUSY_HOST.ends)).toBeLessThanOrEqual(180_000);
    const cells = (layer: string): Cell[] => answer.layers.find((it: { layer: string }) => it.layer === layer).cells;
    expect(
      cells('vm')
        .filter(({ standing }) => standing === 'ill')
        .map(({ name }) => name)
        .every((name) => name.startsWith('vm-quay-3')),
    ).toBe(true);
    expect(
      cells('host')
        .filter(({ standing }) => standing === 'ill')
        .map(({ name }) => name),
    ).toEqual(['quay-3']);
    expect(cells('disk').every(({ standing }) => standing !== 'ill')).toBe(true);
    const roles = new Set(
      cells('service')
        .filter(({ standing }) => standing === 'ill')
        .map(({ role }) => role),
    );
    expect([...roles].every((role) => role === 'stands' || role === 'calls')).toBe(true);
  });

  it('at a calm moment, and of the calm minutes alone, are all well', async () => {
    const calm = await ask('layers', windowOf(BUSY_HOST), `&at=${BUSY_HOST.begins - 3 * 60_000}`);
    expect([calm.chosen, calm.lowest]).toEqual([true, null]);
    const before = windowOf({ ...BUSY_HOST, begins: BUSY_HOST.begins - 15 * 60_000, to: BUSY_HOST.begins - 60_000 });
    expect((await ask('layers', before)).lowest).toBeNull();
  });

  it('of one service are its instances alone', async () => {
    const { columns } = await ask('layers', windowOf(BUSY_HOST), '&of=accounts');
    expect(columns.map(({ instance }: { instance: string }) => instance)).toEqual(['accounts-1', 'accounts-2']);
  });

  it('of a journey are those of the services that its requests touch, as its entries by chips say', async () => {
    const entries = ['GET /passes/{ref}', 'GET /notices'];
    const named = await fetch(`${dusk.url}/api/journeys`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ journeys: [{ name: 'Show the pass, read', entries }] }),
    });
    expect(named.status).toBe(200);
    const instances = ({ columns }: { columns: { instance: string }[] }) => columns.map(({ instance }) => instance).sort();
    const journey = await ask('layers', windowOf(BUSY_HOST), `&journey=${encodeURIComponent('Show the pass, read')}`);
    const chips = encodeURIComponent(`entry is ${entries.join(', ')}`);
    const all = await ask('layers');
    expect(instances(journey)).toEqual(instances(await ask('layers', windowOf(BUSY_HOST), `&where=${chips}`)));
    expect(journey.columns.length).toBeGreaterThan(0);
    expect(journey.instances).toBeLessThan(all.instances);
    expect((await fetch(`${dusk.url}/api/machines/layers?${windowOf(BUSY_HOST)}&journey=nobody`)).status).toBe(404);
  });
});

describe('a host', () => {
  it('shows its processes, job and residents at the moment, and whether it is guilty', async () => {
    const host = await ask('hosts/quay-3');
    expect(host).toMatchObject({ kind: 'host', cores: 8, standing: 'ill', guilt: 'guilty' });
    expect(host.processes[0]).toMatchObject({ name: 'backup-all' });
    expect(host.jobs[0]).toMatchObject({ name: 'backup-all' });
    expect(Math.abs(host.jobs[0].runs[0].from - BUSY_HOST.begins)).toBeLessThan(60_000);
    expect(host.residents.map(({ vm }: { vm: string }) => vm).every((vm: string) => vm.startsWith('vm-quay-3'))).toBe(true);
    expect(host.changes.some(({ title }: { title: string }) => title.includes('backup of all disks'))).toBe(true);
    const other = await ask('hosts/quay-1');
    expect(other.standing).toBe('calm');
    expect(other.guilt).not.toBe('guilty');
  });

  it('has the resources that were sent, to the figure', async () => {
    const { resources, litWindow } = await ask('hosts/quay-3');
    const cpu = resources.find(({ rule }: { rule: string }) => rule === 'cpu');
    const from = Date.parse(litWindow.from);
    const at = Math.round((BUSY_HOST.begins + 600_000 - from) / 60_000);
    // 7.9 of 8 cores, and what little its guests got.
    expect(cpu.over[at]).toBeGreaterThan(0.98);
    expect(cpu.over[1]).toBeLessThan(0.2);
  });

  it('that nobody reports is not found, in words', async () => {
    const answer = await fetch(`${dusk.url}/api/machines/hosts/quay-99?${windowOf(BUSY_HOST)}`);
    expect([answer.status, (await answer.json()).error]).toEqual([404, expect.stringContaining('quay-99')]);
  });

  it('is the fullest on Now, by what it told last', async () => {
    const { from, begins } = BUSY_HOST;
    const iso = (ms: number) => new Date(ms).toISOString();
    // While the backup runs; held against the series of each host, of which the last value counts.
    const to = Math.floor(begins / 60_000) * 60_000 + 10 * 60_000;
    const { machines } = await getJson(dusk.url, `/api/now/around?from=${iso(from)}&to=${iso(to)}`);
    process.env.DATABASE_URL = dusk.cluster.url;
    const measures = await machineMeasures(BigInt(to - 10 * 60_000) * 1_000_000n, BigInt(to) * 1_000_000n);
    const cpus = measures.subjects
      .filter(({ kind }) => kind === 'host')
      .flatMap(({ name }) => {
        const series = measures.firstOf('host', name, ['cpu', 'cpu of time']);
        return series ? [{ name, value: series.filter((value) => !Number.isNaN(value)).at(-1)! }] : [];
      })
      .sort((one, other) => other.value - one.value);
    expect(machines.machines).toBe(cpus.length);
    expect(machines.cpu).toMatchObject({ name: cpus[0].name, most: cpus[0].value });
    expect(machines.cpu.mean).toBeCloseTo(cpus.reduce((sum, { value }) => sum + value, 0) / cpus.length, 12);
    expect(machines.cpu.name).toMatch(/quay-3/);
    expect(machines.memory.most).toBeGreaterThan(machines.memory.mean);
  });

  it('is listed, the ill ones first', async () => {
    const { hosts, ill } = await ask('hosts');
    expect(ill).toBeGreaterThanOrEqual(1);
    expect(hosts[0].name).toMatch(/quay-3/);
    expect(hosts.find(({ name }: { name: string }) => name === 'vm-quay-1a')).toMatchObject({
      kind: 'vm',
      standsOn: 'quay-1',
      standing: 'calm',
    });
  });
});

describe('pods', () => {
  it('that are killed for memory are named by their pattern, with each of their lives', async () => {
    const { pods, patterns, labels } = await ask('pods', windowOf(KILLED_PODS));
    const notices = pods.slice(0, 2);
    expect(notices.map(({ name }: { name: string }) => name).sort()).toEqual(['notices-1', 'notices-2']);
    const events = (await ask('objects/pod%20notices-1', windowOf(KILLED_PODS))).events;
    const killed = events.filter(({ reason }: { reason: string }) => reason === 'OOMKilled').length;
    const first = notices.find(({ name }: { name: string }) => name === 'notices-1');
    expect(first.killed).toBe(killed);
    expect(first.lives.filter(({ end }: { end: string }) => end === 'killed')).toHaveLength(killed);
    expect(first.patterns).toContain('killed');
    expect(first.memory.limit).toBe(320 * 2 ** 20);
    expect(patterns.find(({ pattern }: { pattern: string }) => pattern === 'killed').pods).toBe(2);
    expect(labels.map(({ name }: { name: string }) => name)).toEqual(expect.arrayContaining(['app', 'team', 'version']));
    expect((await ask('pods', windowOf(KILLED_PODS), '&pattern=killed')).found).toBe(2);
    expect((await ask('pods', windowOf(KILLED_PODS), '&label=team%3DIdentity')).found).toBe(2);
    expect(
      (await ask('pods', windowOf(KILLED_PODS), '&machine=quay-4')).pods.every(({ host }: { host: string }) => host === 'quay-4'),
    ).toBe(true);
  });

  it('have a specification with what changed, and objects around them', async () => {
    const it = await ask('objects/pod%20notices-2', windowOf(KILLED_PODS));
    const changed = it.specification.filter(({ was }: { was?: string }) => was !== undefined);
    expect(changed).toEqual([{ text: expect.stringContaining('notices:4.3.0'), was: expect.stringContaining('notices:4.2.0') }]);
    expect(it.belongsTo.map(({ name }: { name: string }) => name)).toEqual(['notices-4.3.0', 'notices']);
    expect(it.standsOn.map(({ name }: { name: string }) => name)).toEqual(['vm-quay-4a', 'quay-4']);
    expect(it.given.map(({ kind }: { kind: string }) => kind)).toEqual(
      expect.arrayContaining(['secret', 'settings', 'mail route']),
    );
    expect(it.kin.map(({ name }: { name: string }) => name)).toEqual(['notices-1']);
  });

  it('reserve and use what a second way gives, with too little data said to be so', async () => {
    const { pods, enoughMinutes } = await ask('reserved', windowOf(KILLED_PODS));
    const berths = pods.find(({ name }: { name: string }) => name === 'berths-1');
    expect(berths.minutes).toBeGreaterThanOrEqual(enoughMinutes);
    expect(berths.cpu.request).toBe(1);
    expect(berths.cpu.proposal).toBeCloseTo(Math.ceil((1.2 * berths.cpu.p99) / 0.01) * 0.01, 6);
    expect(berths.cpu.freed).toBeCloseTo(1 - berths.cpu.proposal, 6);
  });

  it('of a kind of one’s own have the fields of its definition as columns', async () => {
    const routes = await ask('objects', windowOf(KILLED_PODS), '&kind=mail%20route');
    expect(routes.columns).toEqual(['from', 'until', 'through']);
    expect(routes.objects.map(({ fields }: { fields: Record<string, string> }) => fields.until).sort()).toEqual([
      '17:00',
      '23:30',
    ]);
  });

  it('run images with known weaknesses, the most widely used first', async () => {
    const { weaknesses, images } = await ask('images', windowOf(KILLED_PODS));
    expect(weaknesses[0].id).toBe('OR-2025-0811');
    expect(weaknesses.map(({ pods }: { pods: number }) => pods)).toEqual(
      [...weaknesses.map(({ pods }: { pods: number }) => pods)].sort((a, b) => b - a),
    );
    const all = images.reduce((sum: number, { pods }: { pods: string[] }) => sum + pods.length, 0);
    expect(weaknesses[0].pods).toBe(all);
    const harmless = weaknesses.find(({ id }: { id: string }) => id === 'OR-2026-0140');
    expect(harmless.images.find(({ image }: { image: string }) => image.includes('manifests'))).toMatchObject({
      state: 'not affected',
    });
  });
});

describe('object files', () => {
  it('are read and sent by the command; values of secrets are nowhere in the store', async () => {
    const token = 'c2VjcmV0LXZhbHVlLW9mLXRoZS1oYXJib3Vy';
    writeFileSync(
      join(folder, 'jetty.yaml'),
      [
        { kind: 'Secret', metadata: { name: 'jetty-key' }, data: { token } },
        {
          kind: 'Pod',
          metadata: { name: 'jetty-1', labels: { app: 'jetty' } },
          spec: {
            nodeName: 'quay-1',
            containers: [{ name: 'a', image: 'jetty:1', envFrom: [{ secretRef: { name: 'jetty-key' } }] }],
          },
          status: { phase: 'Pending' },
        },
        {
          kind: 'Event',
          involvedObject: { kind: 'Pod', name: 'jetty-1' },
          reason: 'ErrImagePull',
          message: 'image jetty:1 not found',
          type: 'Warning',
        },
      ]
        .map((it) => stringify(it))
        .join('---\n'),
    );
    writeFileSync(join(folder, 'broken.yaml'), 'kind: [');
    const child = spawn('./dusk', ['collect', 'objects', folder, '--to', dusk.url], { stdio: ['ignore', 'ignore', 'pipe'] });
    let said = '';
    child.stderr.on('data', (part) => {
      said += part;
    });
    const [code] = await once(child, 'exit');
    expect([code, said]).toEqual([1, expect.stringContaining('broken.yaml')]);
    // What another sender sends as it is, is not kept either.
    const raw = { kind: 'secret', id: 'secret raw', name: 'raw', specification: `kind: Secret\ndata:\n  token: ${token}\n` };
    await sendInventory(raw);
    const now = Date.now();
    const window = `from=${new Date(now - 600_000).toISOString()}&to=${new Date(now + 60_000).toISOString()}&before=just`;
    const { pods } = await until(
      () => ask('pods', window),
      (it) => it.pods.some(({ name }: { name: string }) => name === 'jetty-1'),
    );
    const jetty = pods.find(({ name }: { name: string }) => name === 'jetty-1');
    expect(jetty).toMatchObject({ ready: false, standsOn: 'quay-1', patterns: expect.arrayContaining(['image']) });
    for (const id of ['secret jetty-key', 'secret raw']) {
      const { specification } = await ask(`objects/${encodeURIComponent(id)}`, window);
      expect(specification.some(({ text }: { text: string }) => text.includes('token: (not kept)'))).toBe(true);
    }
    const exported = await (await fetch(`${dusk.url}/api/export/logs?from=${new Date(now - 600_000).toISOString()}`)).text();
    expect(exported).toContain('jetty-1');
    expect(exported).not.toContain(token);
  });
});

describe('a machine that kills in its pods', () => {
  it('knows them by uid; what it says belongs to the pod that the cluster names', async () => {
    const uid = '3c1f7a52-9b0e-4d6f-8a21-5e0d7c9b1a44';
    const object = {
      kind: 'Pod',
      metadata: { name: 'sluice-1', uid, labels: { app: 'sluice' } },
      spec: { nodeName: 'quay-9', containers: [{ name: 'a', image: 'sluice:1' }] },
      status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] },
    };
    writeFileSync(join(folder, 'sluice.json'), JSON.stringify(object));
    const objects = spawn('./dusk', ['collect', 'objects', join(folder, 'sluice.json'), '--to', dusk.url], { stdio: 'ignore' });
    expect(await once(objects, 'exit')).toEqual([0, null]);

    const [proc, sys] = [join(folder, 'proc'), join(folder, 'sys')];
    const pod = join(sys, 'fs/cgroup/kubepods.slice', `kubepods-pod${uid.replaceAll('-', '_')}.slice`);
    const group = (path: string, files: Record<string, string>) => {
      mkdirSync(path, { recursive: true });
      for (const [name, text] of Object.entries(files)) writeFileSync(join(path, name), text);
    };
    const container = (letter: string) => join(pod, `cri-containerd-${letter.repeat(64)}.scope`);
    const running = (usec: number) => ({
      'cgroup.procs': '12\n',
      'cpu.stat': `usage_usec ${usec}\n`,
      'memory.current': `${96 * 2 ** 20}\n`,
    });
    mkdirSync(proc, { recursive: true });
    group(join(sys, 'fs/cgroup'), { 'cgroup.controllers': 'cpu memory' });
    group(pod, { 'cpu.stat': 'usage_usec 0\n', 'memory.max': `${128 * 2 ** 20}\n`, 'memory.events': 'oom_kill 1\n' });
    group(container('a'), running(1_000_000));
    const options = ['--to', dusk.url, '--name', 'quay-9', '--every', '1s', '--proc', proc, '--sys', sys, '--etc', folder];
    const reader = spawn('./dusk', ['collect', 'host', ...options], { stdio: 'ignore' });
    try {
      const from = Date.now() - 600_000;
      const window = () => `from=${new Date(from).toISOString()}&to=${new Date(Date.now() + 120_000).toISOString()}&before=just`;
      const seen = async () => {
        const { pods } = await ask('pods', window(), '&find=sluice-1');
        return pods[0];
      };
      const before = await until(seen, (it) => it?.memory.most === 96 * 2 ** 20);
      // What was killed before anybody looked is of no known time.
      expect(before).toMatchObject({ killed: 0, patterns: [] });
      // Killed and begun anew: another container in the same pod.
      rmSync(container('a'), { recursive: true });
      group(container('b'), running(50_000));
      group(pod, { 'memory.events': 'oom_kill 3\n' });
      const after = await until(seen, (it) => it?.killed > 0);
      expect(after).toMatchObject({ killed: 2, service: 'sluice', patterns: expect.arrayContaining(['killed']) });
      const { events } = await ask('objects/pod%20sluice-1', window());
      expect(events.map(({ message }: { message: string }) => message)).toContain(
        'a process in it was killed at its memory limit of 128 MiB',
      );
    } finally {
      reader.kill('SIGTERM');
      await once(reader, 'exit');
    }
    // What is watched of it belongs to the service.
    const to = BigInt(Math.ceil(Date.now() / 60_000)) * 60_000_000_000n;
    const measures = await machineMeasures(to - 900_000_000_000n, to);
    expect(measures.subjects.find(({ name }) => name === 'sluice-1')).toMatchObject({ service: 'sluice', host: 'quay-9' });
    expect(measures.uidsWithoutName).toEqual([]);
    // The mean of the minute: of one before, three after.
    expect(measures.last('container', 'sluice-1', 'kills')).toBeGreaterThan(1);
  });
});

async function sendInventory({
  kind,
  id,
  name,
  specification,
}: {
  kind: string;
  id: string;
  name: string;
  specification: string;
}): Promise<void> {
  const attributes = {
    'lantern.object.kind': kind,
    'lantern.object.id': id,
    'lantern.object.name': name,
    'lantern.object.specification': specification,
  };
  const body = {
    resourceLogs: [
      {
        resource: { attributes: [{ key: 'service.name', value: { stringValue: 'inventory' } }] },
        scopeLogs: [
          {
            logRecords: [
              {
                timeUnixNano: String(BigInt(Date.now()) * 1_000_000n),
                eventName: 'lantern.inventory',
                attributes: Object.entries(attributes).map(([key, value]) => ({ key, value: { stringValue: value } })),
              },
            ],
          },
        ],
      },
    ],
  };
  const answer = await fetch(`${dusk.url}/v1/logs`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  expect(answer.status).toBe(200);
}

it('what is watched of machines begins an incident, or joins one', async () => {
  await watchOnce(dusk.url, Math.floor(KILLED_PODS.to / 60_000) - 1);
  const window = `from=${new Date(BUSY_HOST.from).toISOString()}&to=${new Date(KILLED_PODS.to).toISOString()}`;
  const { incidents } = await getJson(dusk.url, `/api/incidents?${window}`);
  const metrics = incidents.flatMap(
    ({ shifts }: { shifts: { kind: string; owner: string; name: string; words: string; path: string }[] }) =>
      shifts.filter(({ kind }) => kind === 'metric'),
  );
  const killed = metrics.find(({ owner }: { owner: string }) => owner === 'notices');
  expect(killed).toMatchObject({
    name: 'pods started again',
    words: expect.stringMatching(/^0 % → \d+ %$/),
    path: '/machines/pods?label=app%3Dnotices',
  });
});
