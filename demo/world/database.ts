import type { Statement } from '../company/statements.ts';
import type { Chance } from '../simulation/chance.ts';
import { Gate } from '../simulation/gate.ts';
import { Processor } from '../simulation/processor.ts';
import type { Process, Simulation } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';

type State = 'active' | 'idle' | 'idle in transaction';

/** A session of a database server, as a sampler sees it. */
export interface Session {
  readonly id: number;
  readonly user: string;
  readonly program: string;
  readonly client: string;
  state: State;
  waitClass: string;
  waitEvent: string;
  statement: Statement | undefined;
  traceparent: string;
  blockedBy: Session[];
  /** Since when it is in its state, and in its transaction; simulated nanoseconds. */
  since: number;
  transactionSince: number | undefined;
  readonly locks: Set<string>;
}

/** A statement was cancelled since it waited too long for rows that another session had locked. */
export class LockTimeout extends Error {}

/** What a statement has cost since its counters began. Times in nanoseconds. */
export interface StatementFigures {
  readonly statement: Statement;
  calls: number;
  total: number;
  rows: number;
  hit: number;
  read: number;
}

/** Sessions that a server allows. */
export const MOST_SESSIONS = 100;
/** Blocks that one visit to the disk brings. */
const READ_AHEAD = 16;
const DISK_VISIT = 0.9 * MS;
/** How long a session waits for rows that another has locked. */
export const LOCK_PATIENCE = 50 * SECOND;
/** How much more work it is to look at every row than to use an index, and how many more blocks. */
const FULL_SCAN = { work: 70, blocks: 220 };

/** A database server: cores, a disk with a queue, a buffer cache with a share of hits, locks by group of rows, statements with plans. */
export class Database {
  readonly name: string;
  readonly processor: Processor;
  readonly disk: Gate;
  readonly sessions: Session[] = [];
  readonly figures = new Map<string, StatementFigures>();
  /** Share of blocks that are found in memory. */
  hitShare = 0.996;
  /** How much longer a visit to the disk takes than usual. */
  diskSlower = 1;
  /** Indexes that are not there. */
  readonly lostIndexes = new Set<string>();
  commits = 0;
  readonly #simulation: Simulation;
  readonly #chance: Chance;
  readonly #locks = new Map<string, { holder: Session; queue: { session: Session; goOn: () => void }[] }>();

  constructor(simulation: Simulation, chance: Chance, name: string, cores: number) {
    this.#simulation = simulation;
    this.#chance = chance;
    this.name = name;
    this.processor = new Processor(simulation, cores);
    this.disk = new Gate(simulation, 4);
  }

  open(user: string, program: string, client: string): Session {
    const session: Session = {
      id: 4100 + 7 * this.sessions.length,
      user,
      program,
      client,
      state: 'idle',
      waitClass: '',
      waitEvent: '',
      statement: undefined,
      traceparent: '',
      blockedBy: [],
      since: this.#simulation.now,
      transactionSince: undefined,
      locks: new Set(),
    };
    this.sessions.push(session);
    return session;
  }

  close(session: Session): void {
    this.commit(session);
    this.sessions.splice(this.sessions.indexOf(session), 1);
  }

  /** Whether a statement has to look at every row, since its index is lost. */
  isFullScan({ index }: Statement): boolean {
    return index !== undefined && this.lostIndexes.has(index);
  }

  /**
   * Runs a statement in a session: waits for the rows it wants to change, reads what is not in memory, computes.
   *
   * @param group of rows that it locks until the transaction ends
   * @param wide whether the values make it look at many rows, so that it matters when its index is lost
   * @throws LockTimeout when the rows stay locked
   */
  *run(session: Session, statement: Statement, chance: Chance, traceparent: string, group?: string, wide = true): Process {
    const began = this.#simulation.now;
    this.#become(session, 'active');
    session.transactionSince ??= began;
    session.statement = statement;
    session.traceparent = traceparent;
    if (group) yield* this.#lock(session, group);
    const full = wide && this.isFullScan(statement) ? FULL_SCAN : { work: 1, blocks: 1 };
    const blocks = Math.round(statement.blocks * full.blocks * chance.logNormal(1, 0.1));
    const misses = this.#misses(blocks, chance);
    for (let left = misses; left > 0; left -= READ_AHEAD) {
      session.waitClass = 'IO';
      session.waitEvent = 'DataFileRead';
      yield* this.disk.enter();
      yield* this.#simulation.sleep(chance.logNormal(DISK_VISIT, 0.35) * this.diskSlower);
      this.disk.leave();
    }
    session.waitClass = '';
    session.waitEvent = '';
    yield* this.processor.compute(chance.logNormal(statement.work, 0.35) * full.work);
    this.#become(session, 'idle in transaction');
    this.#count(statement, this.#simulation.now - began, blocks - misses, misses);
  }

  /** Ends a transaction: whoever waits for its rows goes on. */
  commit(session: Session): void {
    for (const group of session.locks) {
      const lock = this.#locks.get(group)!;
      const next = lock.queue.shift();
      if (!next) this.#locks.delete(group);
      else {
        lock.holder = next.session;
        next.session.locks.add(group);
        next.session.blockedBy = [];
        for (const { session: waiting } of lock.queue) waiting.blockedBy = [next.session];
        next.goOn();
      }
    }
    session.locks.clear();
    this.#become(session, 'idle');
    session.transactionSince = undefined;
    session.statement = undefined;
    session.traceparent = '';
    this.commits++;
  }

  #become(session: Session, state: State): void {
    session.state = state;
    session.since = this.#simulation.now;
  }

  *#lock(session: Session, group: string): Process {
    if (session.locks.has(group)) return;
    const lock = this.#locks.get(group);
    if (!lock) {
      this.#locks.set(group, { holder: session, queue: [] });
      session.locks.add(group);
      return;
    }
    session.waitClass = 'Lock';
    session.waitEvent = 'transactionid';
    session.blockedBy = [lock.holder];
    let gaveUp = false;
    yield (goOn) => {
      const place = { session, goOn };
      lock.queue.push(place);
      this.#simulation.at(this.#simulation.now + LOCK_PATIENCE, () => {
        const at = lock.queue.indexOf(place);
        if (at < 0) return;
        lock.queue.splice(at, 1);
        gaveUp = true;
        goOn();
      });
    };
    session.waitClass = '';
    session.waitEvent = '';
    session.blockedBy = [];
    if (gaveUp) throw new LockTimeout();
  }

  #misses(blocks: number, chance: Chance): number {
    const expected = blocks * (1 - this.hitShare);
    const whole = Math.floor(expected);
    return whole + (chance.happens(expected - whole) ? 1 : 0);
  }

  #count(statement: Statement, nanos: number, hit: number, read: number): void {
    let figures = this.figures.get(statement.id);
    if (!figures) {
      figures = { statement, calls: 0, total: 0, rows: 0, hit: 0, read: 0 };
      this.figures.set(statement.id, figures);
    }
    figures.calls++;
    figures.total += nanos;
    figures.rows += Math.round(statement.rows * this.#chance.logNormal(1, 0.1));
    figures.hit += hit;
    figures.read += read;
  }
}
