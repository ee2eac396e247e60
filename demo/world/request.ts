import type { Attributes, InstrumentationScope, Span, SpanEvent, SpanId, SpanKind, TraceId } from '../../src/core/trace/span.ts';
import type { Chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { type Instance, MS, type World } from './parts.ts';

/** What one request carries with it wherever it goes. */
export interface Request {
  readonly world: World;
  readonly chance: Chance;
  readonly traceId: TraceId;
  readonly report: (span: Span) => void;
  /** Epoch nanoseconds of simulated time 0. */
  readonly epoch: bigint;
}

/** Where a request is: in which instance, under which span. Attributes can be added to that span until it ends. */
export interface Place {
  readonly request: Request;
  readonly instance: Instance;
  readonly spanId: SpanId | null;
  readonly set: (attributes: Attributes) => void;
}

/** A failure that goes up through the callers, as the status code that each of them answers. */
export class Failed extends Error {
  readonly status: number;
  readonly type: string;
  readonly stack_: string;

  constructor(status: number, type: string, message: string, stack: string) {
    super(message);
    this.status = status;
    this.type = type;
    this.stack_ = stack;
  }
}

const SCOPE: InstrumentationScope = { name: 'osier-reach/telemetry', version: '1.9.0' };

interface SpanForm {
  readonly name: string;
  readonly kind: SpanKind;
  readonly attributes?: Attributes;
}

/** Does something under a span of its own and reports that when it ends, with the error when it fails. */
export function* within<T>(at: Place, form: SpanForm, work: (inside: Place) => Process<T>): Process<T> {
  const { request, instance } = at;
  const { simulation } = request.world;
  const spanId = request.chance.hex(16) as SpanId;
  const began = simulation.now;
  const resource = instance.resource;
  let attributes: Attributes = form.attributes ?? {};
  let failure: Failed | undefined;
  try {
    return yield* work({
      request,
      instance,
      spanId,
      set: (more) => {
        attributes = { ...attributes, ...more };
      },
    });
  } catch (error) {
    if (error instanceof Failed) failure = error;
    throw error;
  } finally {
    const clock = request.epoch + BigInt(instance.machine.clockOff);
    const end = clock + BigInt(simulation.now);
    request.report({
      traceId: request.traceId,
      spanId,
      parentSpanId: at.spanId,
      traceState: '',
      name: form.name,
      service: instance.service,
      kind: form.kind,
      start: clock + BigInt(began),
      end,
      ...outcome(form.kind, attributes, failure),
      resource,
      scope: SCOPE,
      events: failure && form.kind !== 'client' ? [exceptionEvent(failure, end)] : [],
      links: [],
    });
  }
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
    attributes: { 'exception.type': failure.type, 'exception.message': failure.message, 'exception.stacktrace': failure.stack_ },
  };
}

interface Call {
  readonly service: string;
  readonly method: string;
  readonly route: string;
  readonly attributes?: Attributes;
}

/** Calls another service over the network: a client span here, a server span in one of its instances, a worker of that held. */
export function* call<T>(
  at: Place,
  { service, method, route, attributes }: Call,
  serve: (inside: Place) => Process<T>,
): Process<T> {
  const { world, chance } = at.request;
  const http = { 'http.request.method': method, 'url.template': route, 'server.address': service };
  return yield* within(at, { name: `${method} ${route}`, kind: 'client', attributes: http }, function* (client) {
    yield* world.simulation.sleep(network(chance));
    const instances = world.instances.get(service)!;
    const instance = instances[chance.between(0, instances.length - 1)];
    const result = yield* serveAt(client, instance, { service, method, route, attributes }, serve);
    yield* world.simulation.sleep(network(chance));
    client.set({ 'http.response.status_code': 200 });
    return result;
  });
}

/** The server side of a call: waits for a worker, then works under a server span. */
export function* serveAt<T>(
  at: Place,
  instance: Instance,
  { method, route, attributes }: Call,
  serve: (inside: Place) => Process<T>,
): Process<T> {
  const http = { 'http.request.method': method, 'http.route': route, 'url.path': route, ...attributes };
  return yield* within({ ...at, instance }, { name: `${method} ${route}`, kind: 'server', attributes: http }, function* (server) {
    yield* instance.workers.enter();
    try {
      const result = yield* serve(server);
      server.set({ 'http.response.status_code': 200 });
      return result;
    } finally {
      instance.workers.leave();
    }
  });
}

/** Computes on the instance's machine. */
export function* compute(at: Place, median: number, spread = 0.35): Process {
  yield* at.instance.machine.processor.compute(at.request.chance.logNormal(median, spread));
}

function network(chance: Chance): number {
  return chance.logNormal(0.18 * MS, 0.3);
}
