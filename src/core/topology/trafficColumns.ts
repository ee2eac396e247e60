import { ColumnWriter } from '../columns/columnWriter.ts';
import { codesOf, type ListColumn, listsOf, numbersOf, type Segment } from '../columns/segment.ts';
import { addCalls, type CallSum, noCalls, sumIn } from '../measures/callSum.ts';
import type { CallKind } from './node.ts';
import {
  addressKey,
  type CallTraffic,
  nodeKey,
  nothingTaken,
  type Place,
  type Taken,
  type Traffic,
  type VisitTraffic,
} from './traffic.ts';

/*
 * What was asked of whom in a stretch of time, added up, as columns: a row for what each place handled, and one for each side of each call.
 */

const ROLE = 'role';
const SERVICE = 'service';
const OPERATION = 'operation';
const CALLER = 'calling service';
const PEER = 'peer';
const PROTOCOL = 'protocol';
const CALL_KIND = 'kind';
const DATABASE = 'database';
const TAKER_SERVICE = 'taking service';
const TAKER_OPERATION = 'taking operation';
const CALLS = 'calls';
const FAILURES = 'failures';
const CLIENT_ERRORS = 'client errors';
const OK_NS = 'ok';
const FAILED_NS = 'failed';
const ZERO = 'zero';
const BUCKETS = 'buckets';
const TIMES = 'times';

const SIDES = ['caller', 'again', 'callee'] as const satisfies readonly (keyof Taken)[];
const ROLES = ['requests', 'handled', 'all', ...SIDES] as const;
const KINDS = ['client', 'producer', 'consumer'] as const satisfies readonly CallKind[];
/** Lists of columns hold no negative numbers; the lowest bucket is that of values up to 1. */
const LOWEST_BUCKET = -1;

/** @param requests how many requests it is of; visits are not kept */
export function writeTraffic({ places, handled, calls }: Traffic, requests: number): Segment {
  const writer = new ColumnWriter();
  const end = (role: (typeof ROLES)[number], sum: CallSum) => {
    writer.code(ROLE, ROLES.indexOf(role));
    writer.code(CALLS, sum.calls);
    writer.code(FAILURES, sum.failures);
    writer.code(CLIENT_ERRORS, sum.clientErrors);
    writer.number(OK_NS, sum.okNs);
    writer.number(FAILED_NS, sum.failedNs);
    writer.code(ZERO, sum.sketch.zero);
    for (const [bucket, times] of sum.sketch.buckets) {
      writer.addCode(BUCKETS, bucket - LOWEST_BUCKET);
      writer.addCode(TIMES, times);
    }
    writer.endRow();
  };
  const place = (key: string, service: string, operation: string) => {
    const of = places.get(key) ?? { service: key };
    writer.text(service, of.service);
    if (of.operation !== undefined) writer.text(operation, of.operation);
  };
  end('requests', { ...noCalls(), calls: requests });
  for (const [key, sum] of handled) {
    place(key, SERVICE, OPERATION);
    end('handled', sum);
  }
  for (const call of calls) {
    const address = () => {
      place(call.from, SERVICE, OPERATION);
      writer.text(CALLER, call.service);
      writer.text(PEER, call.peer);
      writer.text(PROTOCOL, call.protocol);
      writer.code(CALL_KIND, KINDS.indexOf(call.kind));
      writer.code(DATABASE, call.database ? 1 : 0);
    };
    address();
    end('all', call.all);
    for (const [taker, taken] of call.takers)
      for (const side of SIDES) {
        if (taken[side].calls === 0) continue;
        address();
        place(taker, TAKER_SERVICE, TAKER_OPERATION);
        end(side, taken[side]);
      }
  }
  return writer.finish();
}

/** Adds up traffic of several stretches of time. What is added is not changed. */
export class TrafficTotal {
  readonly #places = new Map<string, Place>();
  readonly #handled = new Map<string, CallSum>();
  readonly #calls = new Map<string, CallTraffic>();
  #visits: readonly VisitTraffic[] = [];
  #requests = 0;

  get requests(): number {
    return this.#requests;
  }

  traffic(): Traffic {
    return { places: this.#places, handled: this.#handled, calls: [...this.#calls.values()], visits: this.#visits };
  }

  add({ places, handled, calls, visits }: Traffic, requests: number): void {
    this.#requests += requests;
    for (const [key, place] of places) this.#places.set(key, place);
    for (const [key, sum] of handled) addCalls(sumIn(this.#handled, key), sum);
    for (const call of calls) {
      const own = this.#callOf(call);
      addCalls(own.all, call.all);
      for (const [taker, taken] of call.takers) for (const side of SIDES) addCalls(takenIn(own, taker)[side], taken[side]);
    }
    this.addVisits(visits);
  }

  addVisits(visits: readonly VisitTraffic[]): void {
    this.#visits = [...this.#visits, ...visits];
  }

  /** The same of columns, as `writeTraffic` made them. */
  addSegment(segment: Segment): void {
    const texts = (name: string) => {
      const { values, texts: all } = codesOf(segment, name);
      return (row: number) => (values[row] === 0 ? undefined : all[values[row] - 1]);
    };
    const placeBy = (service: string, operation: string) => {
      const [serviceAt, operationAt] = [texts(service), texts(operation)];
      return (row: number) => this.#placeKey({ service: serviceAt(row) ?? '', operation: operationAt(row) });
    };
    const placeAt = placeBy(SERVICE, OPERATION);
    const takerAt = placeBy(TAKER_SERVICE, TAKER_OPERATION);
    const [callerAt, peerAt, protocolAt] = [texts(CALLER), texts(PEER), texts(PROTOCOL)];
    const roles = codesOf(segment, ROLE).values;
    const kinds = codesOf(segment, CALL_KIND).values;
    const databases = codesOf(segment, DATABASE).values;
    const addSum = sumAdder(segment);
    for (let row = 0; row < segment.rows; row++) {
      const role = ROLES[roles[row]];
      if (role === 'requests') {
        this.#requests += codesOf(segment, CALLS).values[row];
        continue;
      }
      const from = placeAt(row);
      if (role === 'handled') {
        addSum(row, sumIn(this.#handled, from));
        continue;
      }
      const call = this.#callOf({
        from,
        service: callerAt(row) ?? '',
        peer: peerAt(row) ?? '',
        protocol: protocolAt(row) ?? '',
        kind: KINDS[kinds[row]],
        database: databases[row] === 1,
      });
      addSum(row, role === 'all' ? call.all : takenIn(call, takerAt(row))[role]);
    }
  }

  #placeKey({ service, operation }: { readonly service: string; readonly operation: string | undefined }): string {
    const place: Place = operation === undefined ? { service } : { service, operation };
    const key = nodeKey(place);
    if (!this.#places.has(key)) this.#places.set(key, place);
    return key;
  }

  #callOf(address: Omit<CallTraffic, 'all' | 'takers'>): CallTraffic {
    const { from, service, peer, protocol, kind, database } = address;
    const key = `${from}\0${addressKey(address)}`;
    let call = this.#calls.get(key);
    if (!call) {
      call = { from, service, peer, protocol, kind, database, all: noCalls(), takers: new Map() };
      this.#calls.set(key, call);
    }
    return call;
  }
}

function takenIn({ takers }: CallTraffic, taker: string): Taken {
  const known = takers.get(taker) ?? nothingTaken();
  takers.set(taker, known);
  return known;
}

/** Adds the figures of a row to a sum. */
function sumAdder(segment: Segment): (row: number, sum: CallSum) => void {
  const calls = codesOf(segment, CALLS).values;
  const failures = codesOf(segment, FAILURES).values;
  const clientErrors = codesOf(segment, CLIENT_ERRORS).values;
  const ok = numbersOf(segment, OK_NS);
  const failed = numbersOf(segment, FAILED_NS);
  const zero = codesOf(segment, ZERO).values;
  const buckets: ListColumn = listsOf(segment, BUCKETS);
  const times = listsOf(segment, TIMES).items;
  return (row, sum) => {
    sum.calls += calls[row];
    sum.failures += failures[row];
    sum.clientErrors += clientErrors[row];
    sum.okNs += ok[row];
    sum.failedNs += failed[row];
    sum.sketch.zero += zero[row];
    const own = sum.sketch.buckets;
    for (let at = buckets.offsets[row]; at < buckets.offsets[row + 1]; at++) {
      const bucket = buckets.items[at] + LOWEST_BUCKET;
      own.set(bucket, (own.get(bucket) ?? 0) + times[at]);
    }
  };
}
