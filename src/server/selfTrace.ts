import type { IncomingMessage, ServerResponse } from 'node:http';
import { type Context, context, ROOT_CONTEXT, SpanKind, SpanStatusCode, TraceFlags, trace } from '@opentelemetry/api';
import { AsyncLocalStorageContextManager } from '@opentelemetry/context-async-hooks';
import { OTLPTraceExporter } from '@opentelemetry/exporter-trace-otlp-proto';
import { resourceFromAttributes } from '@opentelemetry/resources';
import { BasicTracerProvider, BatchSpanProcessor, RandomIdGenerator } from '@opentelemetry/sdk-trace-base';
import packageJson from '../../package.json' with { type: 'json' };
import { observeQueries } from '../store/database/observeQueries.ts';

/** How a request is answered, with its id in the answer. */
type Answer = (request: IncomingMessage, response: ServerResponse, handle: () => void) => void;

const ids = new RandomIdGenerator();

/** Answers name the trace they belong to (W3C trace context, traceresponse), though nothing is recorded: the asker may have recorded it. */
export function untraced(): Answer {
  return (request, response, handle) => {
    const traceId = /^00-([0-9a-f]{32})-/.exec(String(request.headers.traceparent ?? ''))?.[1] ?? ids.generateTraceId();
    response.setHeader('traceresponse', `00-${traceId}-${ids.generateSpanId()}-00`);
    handle();
  };
}

/** The door and what looks after it are not traced: each request would bring the next. */
const LEFT_OUT = /^\/(v1|v1development|_astro)\//;
const TRACEPARENT = /^00-([0-9a-f]{32})-([0-9a-f]{16})-([0-9a-f]{2})$/;

/** Who sends what the application records of itself. */
export const OWN_RESOURCE = {
  'service.name': 'dusk-lantern',
  'service.version': packageJson.version,
  'deployment.environment.name': 'itself',
};

/** A tracer whose spans go to the application's own door; questions to the database are recorded under their request. */
function selfTracer(url: string) {
  const provider = new BasicTracerProvider({
    resource: resourceFromAttributes(OWN_RESOURCE),
    spanProcessors: [
      new BatchSpanProcessor(new OTLPTraceExporter({ url: `${url}/v1/traces`, headers: ownToken() }), {
        scheduledDelayMillis: 1000,
      }),
    ],
  });
  context.setGlobalContextManager(new AsyncLocalStorageContextManager().enable());
  const tracer = provider.getTracer('dusk-lantern', packageJson.version);
  observeQueries((statement) => {
    // What no request asks for (the watch, the housekeeping) is not traced.
    if (!trace.getSpan(context.active())) return () => {};
    const words = statement.trim().split(/\s+/);
    const span = tracer.startSpan(`${words[0].toUpperCase()} store`, {
      kind: SpanKind.CLIENT,
      attributes: {
        'db.system.name': 'postgresql',
        'db.namespace': 'dusk',
        'db.operation.name': words[0].toUpperCase(),
        'db.query.text': statement.slice(0, 4000),
      },
    });
    return (error) => {
      if (error) span.setStatus({ code: SpanStatusCode.ERROR, message: error.message });
      span.end();
    };
  });
  return { provider, tracer };
}

/** Its own door asks for a token, too. */
export function ownToken(): Record<string, string> {
  const { DUSK_OWN_TOKEN: token } = process.env;
  return token ? { authorization: `Bearer ${token}` } : {};
}

/** The request that is being answered, as a `traceparent` for a process that works for it; empty when nothing is recorded. */
export function currentTraceparent(): string {
  const span = trace.getSpan(context.active())?.spanContext();
  return span ? `00-${span.traceId}-${span.spanId}-0${span.traceFlags}` : '';
}

/** Whether this process records questions to the database already. */
let isObserved = false;

/** Runs a job for a request of another process, whose questions to the database are recorded under it. @param traceparent as `currentTraceparent` gave it */
export function forRequest<T>(traceparent: string, url: string | undefined, work: () => Promise<T>): Promise<T> {
  if (traceparent === '' || !url) return work();
  if (!isObserved) selfTracer(url);
  isObserved = true;
  return context.with(parentOf(traceparent), work);
}

/** Records what the application does, request by request with its questions to the database, and sends it to the application's own door. */
export function traceSelf(url: string): Answer & { readonly end: () => Promise<void> } {
  const { provider, tracer } = selfTracer(url);
  const answer: Answer = (request, response, handle) => {
    const path = (request.url ?? '/').split('?')[0];
    if (LEFT_OUT.test(path)) {
      handle();
      return;
    }
    const route = path.replace(/[0-9a-f]{32}/g, '{traceId}').replace(/[0-9a-f]{16}/g, '{spanId}');
    const method = request.method ?? 'GET';
    const parent = parentOf(String(request.headers.traceparent ?? ''));
    const span = tracer.startSpan(
      `${method} ${route}`,
      { kind: SpanKind.SERVER, attributes: { 'http.request.method': method, 'http.route': route, 'url.path': path } },
      parent,
    );
    const { traceId, spanId } = span.spanContext();
    response.setHeader('traceresponse', `00-${traceId}-${spanId}-01`);
    response.on('close', () => {
      span.setAttribute('http.response.status_code', response.statusCode);
      if (response.statusCode >= 500) span.setStatus({ code: SpanStatusCode.ERROR });
      span.end();
    });
    context.with(trace.setSpan(parent, span), handle);
  };
  return Object.assign(answer, { end: () => provider.shutdown() });
}

function parentOf(traceparent: string): Context {
  const [, traceId, spanId, flags] = TRACEPARENT.exec(traceparent) ?? [];
  if (!traceId || !spanId) return ROOT_CONTEXT;
  const traceFlags = Number.parseInt(flags, 16) & TraceFlags.SAMPLED;
  return trace.setSpanContext(ROOT_CONTEXT, { traceId, spanId, traceFlags: traceFlags || TraceFlags.SAMPLED, isRemote: true });
}
