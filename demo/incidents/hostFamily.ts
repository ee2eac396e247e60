import { MACHINES, SERVICES } from '../company/services.ts';
import { MINUTE, SECOND } from '../simulation/units.ts';
import { exceptionAt } from '../world/exceptions.ts';
import { between, HOSTED, type Member, one, USED_BY } from './drafts.ts';
import { busyHost, effect } from './mechanisms.ts';

/** Services of which at least one instance stands on a host or virtual machine. */
function servicesOn(name: string): string[] {
  return Object.entries(SERVICES)
    .filter(([, { machines }]) => machines.some((machine) => machine === name || MACHINES[machine].host === name))
    .map(([service]) => service);
}

const affectedOn = (name: string) => [...new Set(servicesOn(name).flatMap((service) => USED_BY[service] ?? []))];
/** Virtual machines on which services compute all the time, so that it is felt when they get less. */
const BUSY_MACHINES = ['vm-quay-1a', 'vm-quay-1b', 'vm-quay-2a', 'vm-quay-2b', 'vm-quay-3a'] as const;

const coresTaken: Member = (luck, size) => {
  const host = one(luck, HOSTED);
  const job = one(luck, ['backup-all', 'image-scan', 'log-pack'] as const);
  return {
    cause: `${job} on ${host}`,
    place: host,
    mechanism: 'CPU taken by a job of the host',
    machine: { layer: 'host', name: host, taker: job },
    affected: affectedOn(host),
    unfold: (it) => busyHost(it, host, job, between(7.7, 7.93, size)),
  };
};

const neighbour: Member = (luck, size) => {
  const machine = one(luck, BUSY_MACHINES);
  const name = one(luck, ['ledger-import', 'picture-press', 'index-tool'] as const);
  return {
    cause: `${name} was started on ${machine}`,
    place: machine,
    mechanism: 'CPU taken by a neighbour on the virtual machine',
    machine: { layer: 'vm', name: machine, taker: name },
    affected: affectedOn(machine),
    *unfold(it) {
      const { neighbours, processor } = it.world.machines.get(machine)!;
      const tasks = Math.round(between(10, 40, size));
      neighbours.set(name, tasks);
      const computing = function* () {
        while (!it.hasEnded) yield* processor.compute(SECOND);
      };
      for (let n = 0; n < tasks; n++) it.world.simulation.start(computing());
      yield* it.over();
      neighbours.delete(name);
    },
  };
};

const throttled: Member = (luck, size) => {
  const service = one(luck, ['holds', 'sailings', 'manifests', 'berths'] as const);
  const instance = one(luck, [1, 2] as const);
  const name = `${service}-${instance}`;
  const share = between(0.85, 0.5, size);
  return {
    cause: `${name} was limited to ${Math.round(100 * share)} % of the CPU that it uses`,
    place: name,
    mechanism: 'throttled at the CPU limit of its container',
    machine: { layer: 'container', name },
    affected: USED_BY[service],
    *unfold(it) {
      const ill = it.instances(service)[instance - 1];
      const before = ill.computed;
      yield* it.minutes(2);
      // Less than what it used in the mean of two minutes.
      ill.quota = share * Math.max(0.01, (ill.computed - before) / (2 * MINUTE));
      it.tell({ kind: 'setting', title: `${name}: CPU limit ${ill.quota.toFixed(3)}`, actor: 'platform team' }, ill);
      yield* it.over();
      ill.quota = undefined;
    },
  };
};

const lossyLink: Member = (luck, size) => {
  const host = one(luck, HOSTED);
  return {
    cause: `the link of ${host} loses packets`,
    place: host,
    mechanism: 'what is lost is sent again, after a while',
    machine: { layer: 'network', name: host },
    affected: affectedOn(host),
    unfold: (it) => {
      const iron = it.world.hosts.get(host)!;
      return effect(it, () => {
        iron.lost = between(0.025, 0.12, size);
        return () => {
          iron.lost = 0;
        };
      });
    },
  };
};

const slowDisk: Member = (luck, size) => {
  const host = one(luck, HOSTED);
  const isWorn = luck.happens(0.4);
  const job = one(luck, ['array-rebuild', 'picture-copy'] as const);
  return {
    cause: isWorn ? `the disk of ${host} is worn` : `${job} on ${host} reads without end`,
    place: host,
    mechanism: 'lines wait for the disk',
    machine: { layer: 'disk', name: host, ...(isWorn ? {} : { taker: job }) },
    affected: affectedOn(host),
    *unfold(it) {
      const iron = it.world.hosts.get(host)!;
      iron.diskSlower = between(25, 200, size);
      const done = isWorn ? () => {} : iron.work(job, 0.15, { reads: between(180, 420, size) });
      yield* it.over();
      done();
      iron.diskSlower = 1;
    },
  };
};

const memoryShort: Member = (luck, size) => {
  const host = one(luck, HOSTED);
  const job = one(luck, ['image-scan', 'map-press'] as const);
  return {
    cause: `${job} on ${host} takes nearly all memory`,
    place: host,
    mechanism: 'pages are moved out of memory and back',
    machine: { layer: 'host', name: host, taker: job },
    affected: affectedOn(host),
    *unfold(it) {
      const iron = it.world.hosts.get(host)!;
      const done = iron.work(job, 0.3, { reads: 20, memory: 26 * 1024 });
      iron.paging = between(4, 20, size);
      yield* it.over();
      iron.paging = 0;
      done();
    },
  };
};

const diskFull: Member = (luck, size) => {
  const machine = one(luck, BUSY_MACHINES);
  const share = between(0.3, 1, size);
  return {
    cause: `the file system of ${machine} is full`,
    place: machine,
    mechanism: 'nothing can be written',
    machine: { layer: 'vm', name: machine },
    affected: affectedOn(machine),
    *unfold(it) {
      const ill = it.world.machines.get(machine)!;
      const before = ill.full;
      ill.full = 1;
      const undone = servicesOn(machine).map((service) =>
        it.world.effects.fail({
          service,
          failure: ({ instance }) =>
            instance.machine === ill && it.chance.happens(share)
              ? exceptionAt(instance, 500, 'NoSpace', 'no space left on device')
              : undefined,
        }),
      );
      yield* it.over();
      for (const undo of undone) undo();
      ill.full = before;
    },
  };
};

/** What can be wrong with the machines below the services. */
export const HOST_FAMILY: readonly Member[] = [coresTaken, neighbour, throttled, lossyLink, slowDisk, memoryShort, diskFull];
