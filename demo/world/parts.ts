import type { Attributes } from '../../src/core/trace/span.ts';
import { Gate } from '../simulation/gate.ts';
import { Processor } from '../simulation/processor.ts';
import type { Simulation } from '../simulation/simulation.ts';

export const MS = 1_000_000;
export const SECOND = 1000 * MS;
export const MINUTE = 60 * SECOND;

/** A virtual machine: cores that what runs on it shares, and a clock that may be off. */
export interface Machine {
  readonly name: string;
  readonly processor: Processor;
  /** Added to true time in what is reported from here, nanoseconds. */
  readonly clockOff: number;
}

/** One running copy of a service. Its version changes with a deployment, and its reported resource with it. */
export interface Instance {
  readonly id: string;
  readonly service: string;
  readonly machine: Machine;
  readonly workers: Gate;
  /** Connections to its database. */
  readonly pool: Gate;
  resource: Attributes;
}

export interface DatabaseServer {
  readonly name: string;
  readonly processor: Processor;
}

export interface World {
  readonly simulation: Simulation;
  readonly instances: ReadonlyMap<string, readonly Instance[]>;
  readonly databases: ReadonlyMap<string, DatabaseServer>;
}

interface ServiceForm {
  readonly team: string;
  readonly language: string;
  readonly version: string;
  readonly machines: readonly string[];
  readonly workers: number;
  readonly pool: number;
}

const CLOCKS_OFF: Record<string, number> = {
  'vm-quay-1a': 0,
  'vm-quay-1b': 0,
  'vm-quay-2a': 0,
  'vm-quay-2b': 0,
  'vm-quay-3a': 0,
  'vm-quay-3b': -6 * MS,
};

const SERVICES: Record<string, ServiceForm> = {
  gangway: {
    team: 'Platform',
    language: 'nodejs',
    version: '8.2.1',
    machines: ['vm-quay-1a', 'vm-quay-2a'],
    workers: 64,
    pool: 1,
  },
  accounts: { team: 'Identity', language: 'go', version: '3.4.0', machines: ['vm-quay-1b', 'vm-quay-3b'], workers: 32, pool: 10 },
  holds: {
    team: 'Booking',
    language: 'java',
    version: '5.11.2',
    machines: ['vm-quay-1a', 'vm-quay-2b', 'vm-quay-3a'],
    workers: 32,
    pool: 8,
  },
  sailings: {
    team: 'Booking',
    language: 'java',
    version: '2.18.0',
    machines: ['vm-quay-1b', 'vm-quay-2a', 'vm-quay-3a'],
    workers: 24,
    pool: 8,
  },
  berths: {
    team: 'Harbour',
    language: 'go',
    version: '4.6.3',
    machines: ['vm-quay-1b', 'vm-quay-2b', 'vm-quay-3a'],
    workers: 16,
    pool: 8,
  },
  manifests: {
    team: 'Booking',
    language: 'java',
    version: '7.0.4',
    machines: ['vm-quay-1a', 'vm-quay-2b'],
    workers: 24,
    pool: 10,
  },
};

const DATABASE_CORES: Record<string, number> = { 'account-db': 2, 'sailing-db': 4, 'manifest-db': 4 };

/** The part of Osier Reach Ferries that serves "Place a hold" and its neighbours. */
export function buildWorld(simulation: Simulation): World {
  const machines = new Map(
    Object.entries(CLOCKS_OFF).map(([name, clockOff]) => [name, { name, clockOff, processor: new Processor(simulation, 4) }]),
  );
  const instances = new Map(
    Object.entries(SERVICES).map(([service, form]) => [
      service,
      form.machines.map((machine, at): Instance => {
        const id = `${service}-${at + 1}`;
        return {
          id,
          service,
          machine: machines.get(machine)!,
          workers: new Gate(form.workers),
          pool: new Gate(form.pool),
          resource: {
            'service.name': service,
            'service.namespace': form.team,
            'service.version': form.version,
            'service.instance.id': id,
            'deployment.environment.name': 'reach-live',
            'host.name': machine,
            'telemetry.sdk.language': form.language,
          },
        };
      }),
    ]),
  );
  const databases = new Map(
    Object.entries(DATABASE_CORES).map(([name, cores]) => [name, { name, processor: new Processor(simulation, cores) }]),
  );
  return { simulation, instances, databases };
}

/** Puts another version on one instance. */
export function deploy(instance: Instance, version: string): void {
  instance.resource = { ...instance.resource, 'service.version': version };
}

export function versionOf(instance: Instance): string {
  return String(instance.resource['service.version']);
}
