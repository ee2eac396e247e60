/** What a service of the company runs as. */
export interface ServiceForm {
  readonly team: string;
  readonly language: 'nodejs' | 'go' | 'java' | 'python';
  readonly version: string;
  /** The virtual machine of each of its instances. */
  readonly machines: readonly string[];
  /** Requests that an instance works on at a time. */
  readonly workers: number;
  /** Connections to its database that an instance keeps; none without a database. */
  readonly pool?: { readonly database: string; readonly size: number };
  /** MiB that a pod asks for and may have. */
  readonly memory: readonly [request: number, limit: number];
  /** Cores that a pod asks for and may have. */
  readonly cpu: readonly [request: number, limit: number];
  /** What it is given beside its settings: objects by kind and name. */
  readonly given?: readonly (readonly [kind: string, name: string])[];
}

export const SERVICES: Readonly<Record<string, ServiceForm>> = {
  gangway: {
    team: 'Platform',
    language: 'nodejs',
    version: '8.2.1',
    machines: ['vm-quay-1a', 'vm-quay-2a'],
    workers: 64,
    memory: [256, 512],
    cpu: [0.5, 2],
  },
  accounts: {
    team: 'Identity',
    language: 'go',
    version: '3.4.0',
    machines: ['vm-quay-1b', 'vm-quay-3b'],
    workers: 32,
    pool: { database: 'account-db', size: 10 },
    memory: [128, 256],
    cpu: [0.5, 4],
    given: [['secret', 'sign-in-keys']],
  },
  sailings: {
    team: 'Booking',
    language: 'java',
    version: '2.18.0',
    machines: ['vm-quay-1b', 'vm-quay-2a', 'vm-quay-3a'],
    workers: 24,
    pool: { database: 'sailing-db', size: 8 },
    memory: [768, 1024],
    cpu: [1, 4],
    given: [['timetable', 'regatta-weekend']],
  },
  tidewatch: {
    team: 'Harbour',
    language: 'python',
    version: '1.3.2',
    machines: ['vm-quay-2c', 'vm-quay-3c'],
    workers: 8,
    memory: [192, 384],
    cpu: [0.1, 1],
    given: [['secret', 'met-relay-key']],
  },
  fares: {
    team: 'Booking',
    language: 'nodejs',
    version: '2.13.4',
    machines: ['vm-quay-1c', 'vm-quay-4a'],
    workers: 32,
    memory: [192, 384],
    cpu: [0.25, 1],
  },
  holds: {
    team: 'Booking',
    language: 'java',
    version: '5.11.2',
    machines: ['vm-quay-1a', 'vm-quay-2b', 'vm-quay-3a'],
    workers: 32,
    memory: [768, 1024],
    cpu: [1, 4],
  },
  berths: {
    team: 'Harbour',
    language: 'go',
    version: '4.6.3',
    machines: ['vm-quay-1b', 'vm-quay-2b', 'vm-quay-3a'],
    workers: 16,
    pool: { database: 'sailing-db', size: 8 },
    memory: [128, 256],
    cpu: [1, 4],
  },
  manifests: {
    team: 'Booking',
    language: 'java',
    version: '7.0.4',
    machines: ['vm-quay-1a', 'vm-quay-2b'],
    workers: 24,
    pool: { database: 'manifest-db', size: 10 },
    memory: [768, 1024],
    cpu: [1, 4],
  },
  passes: {
    team: 'Booking',
    language: 'nodejs',
    version: '3.8.5',
    machines: ['vm-quay-2c', 'vm-quay-4b'],
    workers: 16,
    memory: [256, 512],
    cpu: [0.5, 1],
  },
  crew: {
    team: 'Harbour',
    language: 'python',
    version: '1.8.3',
    machines: ['vm-quay-3c', 'vm-quay-4a'],
    workers: 8,
    pool: { database: 'manifest-db', size: 6 },
    memory: [192, 384],
    cpu: [0.25, 2],
  },
  vessels: {
    team: 'Harbour',
    language: 'go',
    version: '6.1.0',
    machines: ['vm-quay-3b', 'vm-quay-4b'],
    workers: 16,
    memory: [96, 192],
    cpu: [0.25, 2],
  },
  notices: {
    team: 'Platform',
    language: 'nodejs',
    version: '4.2.0',
    machines: ['vm-quay-1c', 'vm-quay-4a'],
    workers: 2,
    memory: [192, 320],
    cpu: [0.1, 0.5],
    given: [
      ['secret', 'post-hub-key'],
      ['mail route', 'evening'],
      ['mail route', 'morning'],
    ],
  },
  books: {
    team: 'Platform',
    language: 'java',
    version: '2.6.1',
    machines: ['vm-quay-4b'],
    workers: 4,
    pool: { database: 'manifest-db', size: 4 },
    memory: [512, 768],
    cpu: [0.25, 2],
  },
  kiosk: {
    team: 'Harbour',
    language: 'nodejs',
    version: '1.12.0',
    machines: ['kiosk-tern', 'kiosk-marram'],
    workers: 8,
    memory: [256, 512],
    cpu: [0.1, 1],
  },
};

/** Virtual machines with the host they run on, their cores, and how far their clock is off, milliseconds. */
export const MACHINES: Readonly<Record<string, { readonly host: string; readonly cores: number; readonly clockOffMs: number }>> =
  {
    'vm-quay-1a': { host: 'quay-1', cores: 4, clockOffMs: 0 },
    'vm-quay-1b': { host: 'quay-1', cores: 4, clockOffMs: 0.4 },
    'vm-quay-1c': { host: 'quay-1', cores: 2, clockOffMs: 0 },
    'vm-quay-2a': { host: 'quay-2', cores: 4, clockOffMs: -0.3 },
    'vm-quay-2b': { host: 'quay-2', cores: 4, clockOffMs: 0 },
    'vm-quay-2c': { host: 'quay-2', cores: 2, clockOffMs: 0.2 },
    'vm-quay-3a': { host: 'quay-3', cores: 4, clockOffMs: 0 },
    'vm-quay-3b': { host: 'quay-3', cores: 4, clockOffMs: -6 },
    'vm-quay-3c': { host: 'quay-3', cores: 2, clockOffMs: 0.1 },
    'vm-quay-4a': { host: 'quay-4', cores: 4, clockOffMs: 0 },
    'vm-quay-4b': { host: 'quay-4', cores: 4, clockOffMs: 0.5 },
    'kiosk-tern': { host: 'kiosk-tern', cores: 2, clockOffMs: 0 },
    'kiosk-marram': { host: 'kiosk-marram', cores: 2, clockOffMs: 0 },
  };

/** Hosts with their cores and memory, GiB. */
export const HOSTS: Readonly<Record<string, { readonly cores: number; readonly memory: number }>> = {
  'quay-1': { cores: 8, memory: 64 },
  'quay-2': { cores: 8, memory: 64 },
  'quay-3': { cores: 8, memory: 64 },
  'quay-4': { cores: 8, memory: 64 },
  'kiosk-tern': { cores: 2, memory: 4 },
  'kiosk-marram': { cores: 2, memory: 4 },
  'moor-1': { cores: 2, memory: 32 },
  'moor-2': { cores: 4, memory: 64 },
  'moor-3': { cores: 4, memory: 64 },
};

export const DATABASES: Readonly<Record<string, { readonly host: string; readonly cores: number }>> = {
  'account-db': { host: 'moor-1', cores: 2 },
  'sailing-db': { host: 'moor-2', cores: 4 },
  'manifest-db': { host: 'moor-3', cores: 4 },
};

/** Share of look-ups that a cache answers by itself when it is warm. */
export const CACHES: Readonly<Record<string, number>> = { 'hold-cache': 0.82, 'fare-cache': 0.9 };

/** Partners outside, with the median time of an answer, milliseconds. */
export const PARTNERS: Readonly<Record<string, number>> = {
  'met-relay.example': 48,
  'post-hub.example': 130,
  'cardhouse.example': 210,
  'pass-store': 9,
};
