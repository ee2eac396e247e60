import type { Attributes, Span, SpanEvent, SpanId, SpanKind, SpanLink, TraceId } from '../../src/core/trace/span.ts';
import type { Customer } from '../company/customers.ts';
import type { Chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { SCOPE } from '../telemetry/output.ts';
import { exceptionAt } from './exceptions.ts';
import { Failed } from './failed.ts';
import type { Instance } from './instance.ts';
import { clock, type Doing, type UnderWay, type World } from './world.ts';

/** What one request carries with it wherever it goes. */
export interface Request {
  readonly world: World;
  readonly chance: Chance;
  readonly traceId: TraceId;
  readonly customer?: Customer;
}

/** Where a request is: in which instance, under which span. Attributes can be added to that span until it ends. */
export interface Place {
  readonly request: Request;
  readonly instance: Instance;
  readonly spanId: SpanId | null;
  readonly set: (attributes: Attributes) => void;
  /** What is noted while the service works on it. */
  readonly underWay?: UnderWay;
}

interface SpanForm {
  readonly name: string;
  readonly kind: SpanKind;
  readonly attributes?: Attributes;
  readonly links?: readonly SpanLink[];
}

/** Does something under a span of its own and reports that when it ends, with the error when it fails. */
export function* within<T>(at: Place, form: SpanForm, work: (inside: Place) => Process<T>): Process<T> {
  const { request, instance } = at;
  const { world } = request;
  const spanId = request.chance.hex(16) as SpanId;
  const start = clock(world, instance.machine);
  const { resource, service } = instance;
  let attributes: Attributes = form.attributes ?? {};
  let failure: Failed | undefined;
  const doing: Doing = {
    name: form.name,
    spanId,
    computes: false,
    attributes,
    since: world.simulation.now,
  };
  at.underWay?.doing.push(doing);
  try {
    return yield* work({
      request,
      instance,
      spanId,
      underWay: at.underWay,
      set: (more) => {
        attributes = { ...attributes, ...more };
      },
    });
  } catch (error) {
    if (error instanceof Failed) failure = error;
    throw error;
  } finally {
    if (at.underWay) leave(at.underWay, doing);
    const end = clock(world, instance.machine);
    world.output.span({
      traceId: request.traceId,
      spanId,
      parentSpanId: at.spanId,
      traceState: '',
      name: form.name,
      service,
      kind: form.kind,
      start,
      end,
      ...outcome(form.kind, attributes, failure),
      resource,
      scope: SCOPE,
      events: failure && form.kind !== 'client' ? [exceptionEvent(failure, end)] : [],
      links: form.links ?? [],
    });
  }
}

function leave({ doing }: UnderWay, it: Doing): void {
  const index = doing.lastIndexOf(it);
  if (index >= 0) doing.splice(index, 1);
}

/** OpenTelemetry's rule: to the server of a request, a caller's mistake is no error; to its client, every 4xx and 5xx is. */
function outcome(
  kind: SpanKind,
  attributes: Attributes,
  failure: Failed | undefined,
): Pick<Span, 'status' | 'statusMessage' | 'attributes'> {
  if (!failure) return { status: 'unset', statusMessage: '', attributes };
  const isHttp = 'http.request.method' in attributes;
  const coded = isHttp ? { ...attributes, 'http.response.status_code': failure.status } : attributes;
  if (kind === 'server' && failure.status < 500) return { status: 'unset', statusMessage: '', attributes: coded };
  return { status: 'error', statusMessage: failure.message, attributes: { ...coded, 'error.type': failure.type } };
}

function exceptionEvent(failure: Failed, time: bigint): SpanEvent {
  return {
    time,
    name: 'exception',
    attributes: { 'exception.type': failure.type, 'exception.message': failure.message, 'exception.stacktrace': failure.trace },
  };
}

interface Call {
  readonly service: string;
  readonly method: string;
  readonly route: string;
  readonly attributes?: Attributes;
  /** How long the caller waits, nanoseconds. */
  readonly patience?: number;
  /** How often it is tried when it fails with a status that may pass, and the pause before the second try; it doubles. */
  readonly tries?: number;
  readonly pause?: number;
}

const PATIENCE = 30 * SECOND;
const MAY_PASS = new Set([429, 503]);

/** Calls another service over the network: a client span here, a server span in one of its instances, a worker of that held. */
export function* call<T>(at: Place, form: Call, serve: (inside: Place) => Process<T>): Process<T> {
  const { world, chance } = at.request;
  for (let attempt = 1; ; attempt++) {
    try {
      return yield* callOnce(at, form, attempt, serve);
    } catch (error) {
      if (!(error instanceof Failed)) throw error;
      if (attempt >= (form.tries ?? 1) || !MAY_PASS.has(error.status)) throw asOwn(at, form.service, error);
      yield* world.simulation.sleep(chance.logNormal((form.pause ?? 80 * MS) * 2 ** (attempt - 1), 0.2));
    }
  }
}

/** That a callee refuses its caller is no mistake of the one who asked the caller. */
function asOwn({ instance }: Place, callee: string, failure: Failed): Failed {
  return failure.status === 429 ? exceptionAt(instance, 503, 'refused', `${callee} answered 429`) : failure;
}

function* callOnce<T>(at: Place, form: Call, attempt: number, serve: (inside: Place) => Process<T>): Process<T> {
  const { service, method, route } = form;
  const { world, chance } = at.request;
  const http = {
    'http.request.method': method,
    'url.template': route,
    'server.address': service,
    ...(attempt > 1 ? { 'http.request.resend_count': attempt - 1 } : {}),
  };
  return yield* within(at, { name: `${method} ${route}`, kind: 'client', attributes: http }, function* (client) {
    const there = function* (): Process<T> {
      yield* world.simulation.sleep(network(world, service, chance));
      const instance = someInstance(world, service, chance);
      if (!instance) throw exceptionAt(at.instance, 503, 'unavailable', `no instance of ${service} is ready`);
      yield* waits(world, sentAgain(chance, at.instance, instance));
      const result = yield* serveAt(client, instance, form, serve);
      yield* world.simulation.sleep(network(world, service, chance) + sentAgain(chance, instance, at.instance));
      return result;
    };
    const patience = form.patience ?? PATIENCE;
    const asked = world.simulation.now;
    const answered = yield* world.simulation.within(patience, there());
    world.profiler.waited(client, 'http', service, world.simulation.now - asked);
    if (!answered) throw exceptionAt(at.instance, 504, 'timeout', `${service} did not answer within ${patience / SECOND} s`);
    client.set({ 'http.response.status_code': 200 });
    return answered.value;
  });
}

/** The server side of a call: waits for a worker, then works under a server span. */
export function* serveAt<T>(at: Place, instance: Instance, form: Call, serve: (inside: Place) => Process<T>): Process<T> {
  const { method, route, attributes } = form;
  const { world, traceId, customer } = at.request;
  const http = { 'http.request.method': method, 'http.route': route, 'url.path': route, ...attributes };
  const began = world.simulation.now;
  const operation = `${method} ${route}`;
  const underWay: UnderWay = { instance, traceId, operation, began, thread: '', doing: [] };
  let status = 200;
  let spanId: SpanId | null = null;
  world.underWay.add(underWay);
  try {
    return yield* within(
      { ...at, instance, underWay },
      { name: operation, kind: 'server', attributes: http },
      function* (server) {
        spanId = server.spanId;
        yield* instance.workers.enter();
        try {
          underWay.thread = threadOf(instance);
          const failure = world.effects.ofServing({ instance, step: route, customer });
          if (failure) throw failure;
          const result = yield* serve(server);
          yield* waits(world, linesWritten(at.request.chance, instance));
          server.set({ 'http.response.status_code': 200 });
          return result;
        } finally {
          instance.workers.leave();
        }
      },
    );
  } catch (error) {
    if (error instanceof Failed) status = error.status;
    throw error;
  } finally {
    world.underWay.delete(underWay);
    world.ended.set(`${traceId} ${instance.id}`, { operation, status, began, ended: world.simulation.now });
    const nanos = world.simulation.now - began;
    instance.meters.request(route, status, nanos, () => ({
      time: clock(world, instance.machine),
      value: nanos / SECOND,
      traceId,
      spanId: spanId ?? '',
    }));
  }
}

/** The worker that took a request, as each runtime names it. In Node.js one thread serves all. */
function threadOf({ form: { language }, workers }: Instance): string {
  if (language === 'nodejs') return 'main';
  return `${language === 'go' ? 'goroutine' : 'worker'} ${workers.inside}`;
}

function someInstance(world: World, service: string, chance: Chance): Instance | undefined {
  const all = world.instances.get(service)!;
  const first = chance.between(0, all.length - 1);
  return all[first].isUp ? all[first] : all.find(({ isUp }) => isUp);
}

/** Computes on the instance's machine: the step names the code that runs, for profiles and for what may slow it down. */
export function* compute(at: Place, step: string, median: number, spread = 0.35): Process {
  const { instance, request } = at;
  const { effects, simulation, profiler } = request.world;
  const doing: Doing = { name: step, spanId: at.spanId, computes: true, attributes: {}, since: simulation.now };
  at.underWay?.doing.push(doing);
  const { factor, allocates } = effects.ofComputing({ instance, step, customer: request.customer });
  const nanos = request.chance.logNormal(median, spread) * factor;
  const began = simulation.now;
  try {
    yield* instance.compute(nanos, allocates);
  } finally {
    if (at.underWay) leave(at.underWay, doing);
  }
  profiler.computed(at, step, nanos, simulation.now - began, nanos * allocates);
}

/** A hop over the network, one way. */
function network(world: World, service: string, chance: Chance): number {
  return chance.logNormal(0.18 * MS, 0.3) + world.effects.valueOf(`network to ${service}`) * MS;
}

/** Waits when there is something to wait for. */
function* waits({ simulation }: World, nanos: number): Process {
  if (nanos > 0) yield* simulation.sleep(nanos);
}

const FIRST_WAIT = 200 * MS;
/** The last segments of a message: when one of them is lost, its sender finds out only after a wait. */
const LAST_SEGMENTS = 3;

/** How long it takes until what was lost on the links of two instances was sent again. */
export function sentAgain(chance: Chance, ...between: readonly Instance[]): number {
  const lost = 1 - between.reduce((arrives, { machine }) => arrives * (1 - machine.iron.lost), 1);
  if (lost === 0 || !chance.happens(Math.min(1, LAST_SEGMENTS * lost))) return 0;
  let wait = FIRST_WAIT;
  for (let next = 2 * FIRST_WAIT; next < 3 * SECOND && chance.happens(lost); next *= 2) wait += next;
  return wait;
}

const LINE_WRITTEN = 0.9 * MS;

/** How long a request waits until its lines are on the disk: no time, unless the disk is slow. */
function linesWritten(chance: Chance, { machine }: Instance): number {
  return machine.iron.diskSlower > 1 ? chance.exponential(LINE_WRITTEN * machine.iron.diskSlower) : 0;
}

/** Asks a partner outside. @throws Failed with the status it answers */
export function* askPartner(
  at: Place,
  name: string,
  method: string,
  path: string,
  attributes: Attributes = {},
  patience = 5 * SECOND,
): Process {
  const { world, chance } = at.request;
  const partner = world.partners.get(name)!;
  const http = { 'http.request.method': method, 'url.template': path, 'server.address': name, ...attributes };
  try {
    yield* asked();
  } catch (error) {
    // To whoever asked us, it is our way that is closed.
    if (error instanceof Failed && error.status < 500)
      throw exceptionAt(at.instance, 502, 'refused', `${name} answered ${error.status}`);
    throw error;
  }

  function asked(): Process {
    return within(at, { name: `${method} ${path}`, kind: 'client', attributes: http }, function* (client) {
      const takes = chance.logNormal(partner.median, 0.35) * partner.slower;
      yield* world.simulation.sleep(Math.min(takes, patience));
      world.profiler.waited(client, 'http', name, Math.min(takes, patience));
      if (takes > patience)
        throw exceptionAt(at.instance, 504, 'timeout', `${name} did not answer within ${patience / SECOND} s`);
      const refused = partner.refuses(attributes);
      if (refused !== undefined) throw exceptionAt(at.instance, refused, 'refused', `${name} answered ${refused}`);
      client.set({ 'http.response.status_code': 200 });
    });
  }
}

/** Looks something up in a cache. */
export function* lookUp(at: Place, name: string, key: string): Process<boolean> {
  const { world, chance } = at.request;
  const attributes = { 'db.system.name': 'keyvalue', 'db.operation.name': 'GET', 'server.address': name };
  return yield* within(at, { name: `GET ${key}`, kind: 'client', attributes }, function* (client) {
    yield* world.simulation.sleep(chance.logNormal(0.6 * MS, 0.3));
    const found = world.caches.get(name)!.has(chance);
    client.set({ 'cache.hit': found });
    return found;
  });
}

/** Sends a message: its consumer will know by which span it was sent. */
export function* sendMessage(at: Place, queue: string, kind: string): Process {
  const { world, chance, traceId, customer } = at.request;
  const attributes = { 'messaging.system': 'pier', 'messaging.destination.name': queue, 'messaging.operation.type': 'send' };
  yield* within(at, { name: `send ${queue}`, kind: 'producer', attributes }, function* (producer) {
    yield* world.simulation.sleep(chance.logNormal(2.4 * MS, 0.4));
    const sender = { traceId, spanId: producer.spanId! };
    world.queues.get(queue)!.send({ kind, bookingRef: customer?.bookingRef ?? '', sender });
  });
}
