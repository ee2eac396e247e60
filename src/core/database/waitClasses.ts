/**
 * Classes of what a session of a database waits for, as PostgreSQL names them; `CPU` is an active session without a wait event. A session in
 * Activity is a process of the server's own that waits for work: it is idle and no load.
 */
export const WAIT_CLASSES = ['CPU', 'IO', 'Lock', 'LWLock', 'Client', 'IPC', 'BufferPin', 'Timeout', 'Extension'] as const;

export type WaitClass = (typeof WAIT_CLASSES)[number];

/** Classes in which a session is at work on the server's cores or disks; in the others it waits for somebody. */
export const AT_WORK: ReadonlySet<WaitClass> = new Set(['CPU', 'IO']);

const INDICES = new Map<string, number>(WAIT_CLASSES.map((name, at) => [name, at]));
const EXTENSION = INDICES.get('Extension')!;

/** The index of a class in `WAIT_CLASSES`; -1 for what is no load. A class that nobody knows is an extension's. */
export function classIndex(waitClass: string): number {
  if (waitClass === '') return 0;
  if (waitClass === 'Activity') return -1;
  return INDICES.get(waitClass) ?? EXTENSION;
}

interface ClassWords {
  /** Of a sentence: "89 % of the load waits for a lock". */
  readonly verb: string;
  /** Of a legend: "waiting for a lock". */
  readonly short: string;
  /** What it counts, what makes it high, what to look at next. */
  readonly about: string;
}

export const CLASS_WORDS: Readonly<Record<WaitClass, ClassWords>> = {
  CPU: {
    verb: 'runs on the CPU',
    short: 'on the CPU',
    about:
      'Active and waiting for nothing, so computing or ready to. It grows with full scans, sorts, functions and more calls. Compare it with the cores, then look at the top statement’s plan.',
  },
  IO: {
    verb: 'reads or writes the disk',
    short: 'disk',
    about:
      'Waiting for a block to be read or written. It grows when what is read no longer fits in memory, or the disk is slow. Look at blocks read by statement and at the disk of the machine.',
  },
  Lock: {
    verb: 'waits for a lock',
    short: 'waiting for a lock',
    about:
      'Waiting for rows or a table that another transaction has locked. One transaction held open too long is enough. Look at who blocks whom, and at what the root does.',
  },
  LWLock: {
    verb: 'waits for a latch',
    short: 'latch',
    about:
      'Waiting for a short lock inside the server, such as on a shared buffer or the write-ahead log. Many sessions on the same pages or many commits raise it. Look at the wait events behind it.',
  },
  Client: {
    verb: 'waits for its client',
    short: 'client',
    about:
      'The server has sent or wants data and the program does not read or answer. A slow reader or a far network raises it. Look at the programs and client hosts behind it.',
  },
  IPC: {
    verb: 'waits for another process of the server',
    short: 'other processes',
    about:
      'Waiting for a process of the same server: parallel workers, replicas that must confirm. Large parallel queries and slow replicas raise it. Look at the wait events and at replication.',
  },
  BufferPin: {
    verb: 'waits for a pinned page',
    short: 'pinned page',
    about:
      'Waiting for a page that another session reads at this moment. A cursor left open over a busy table raises it. Look at long and idle transactions.',
  },
  Timeout: {
    verb: 'sleeps',
    short: 'sleeping',
    about:
      'Waiting for a time to pass, such as pg_sleep or the pause of a vacuum. It costs the server nothing. Look at which program asks for it.',
  },
  Extension: {
    verb: 'waits inside an extension',
    short: 'extension',
    about:
      'Waiting in code that an extension brought. The server does not know for what. Look at the wait event’s name and at the extension’s own documents.',
  },
};
