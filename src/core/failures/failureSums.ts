import { groupKey } from './group.ts';

/** A failing span as it is counted. */
export interface CountedFailure {
  readonly traceId: string;
  readonly service: string;
  readonly operation: string;
  /** Whether it handles a request, or a message. */
  readonly handles: boolean;
  readonly type: string;
  readonly shape: string;
  readonly code: string;
  /** Epoch milliseconds. */
  readonly atMs: number;
  readonly user: string | null;
  /** Whether something that it called failed, too. */
  readonly passesOn: boolean;
}

/** What is known of all failures of one service, type and shape of message. */
export interface FailureSum {
  readonly service: string;
  readonly type: string;
  readonly shape: string;
  readonly code: string;
  count: number;
  requests: number;
  passedOn: number;
  /** Epoch milliseconds. */
  first: number;
  last: number;
  readonly users: Set<string>;
  readonly operations: Set<string>;
  /** Counts in equal parts of the time. */
  readonly trend: number[];
  lastTrace: string;
}

/** Kinds that are counted each for itself: a sender can make up any number of messages. */
const MOST_KINDS = 5_000;

/** Counts failing spans by kind, by response code and by operation. Those of one request have to be added together. */
export class FailureSums {
  readonly groups = new Map<string, FailureSum>();
  /** How many requests have a failing span with each response code: a code that is passed on counts once. */
  readonly codes = new Map<string, number>();
  /** Failing spans of operations that handle requests. */
  readonly operations = new Map<string, { readonly service: string; readonly operation: string; failing: number }>();
  requests = 0;
  /** Failing spans of further kinds, beyond `MOST_KINDS`. */
  others = 0;
  readonly #from: number;
  readonly #stepMs: number;
  readonly #parts: number;
  #trace = '';
  #codesOfTrace = new Set<string>();

  /** @param from and to of the window, epoch milliseconds @param parts of the trend */
  constructor(from: number, to: number, parts: number) {
    this.#from = from;
    this.#stepMs = (to - from) / parts;
    this.#parts = parts;
  }

  add(it: CountedFailure): void {
    if (it.traceId !== this.#trace) {
      this.#trace = it.traceId;
      this.#codesOfTrace = new Set();
      this.requests++;
    }
    if (it.code !== '' && !this.#codesOfTrace.has(it.code)) {
      this.#codesOfTrace.add(it.code);
      this.codes.set(it.code, (this.codes.get(it.code) ?? 0) + 1);
    }
    if (it.handles) this.#addToOperation(it);
    const key = groupKey(it);
    let sum = this.groups.get(key);
    if (!sum) {
      if (this.groups.size >= MOST_KINDS) {
        this.others++;
        return;
      }
      const { service, type, shape, code } = it;
      const counts = { count: 0, requests: 0, passedOn: 0, first: it.atMs, last: it.atMs, lastTrace: '' };
      const sets = { users: new Set<string>(), operations: new Set<string>(), trend: new Array<number>(this.#parts).fill(0) };
      sum = { service, type, shape, code, ...counts, ...sets };
      this.groups.set(key, sum);
    }
    sum.count++;
    if (sum.lastTrace !== it.traceId) sum.requests++;
    sum.lastTrace = it.traceId;
    if (it.passesOn) sum.passedOn++;
    if (it.user !== null) sum.users.add(it.user);
    sum.operations.add(it.operation);
    sum.first = Math.min(sum.first, it.atMs);
    sum.last = Math.max(sum.last, it.atMs);
    sum.trend[Math.min(this.#parts - 1, Math.max(0, Math.floor((it.atMs - this.#from) / this.#stepMs)))]++;
  }

  #addToOperation({ service, operation }: CountedFailure): void {
    const key = `${service}\0${operation}`;
    const known = this.operations.get(key) ?? { service, operation, failing: 0 };
    this.operations.set(key, known);
    known.failing++;
  }
}
