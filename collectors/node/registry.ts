import { AsyncLocalStorage, createHook } from 'node:async_hooks';
import { randomBytes } from 'node:crypto';

/** What a request waits for. */
export interface Wait {
  readonly kind: string;
  readonly what: string;
  /** The statement, where it is a database. */
  readonly statement: string;
  /** Captured where it began; written out only when somebody looks. */
  readonly at: { readonly stack?: string };
}

/** A request that the program works on. */
export interface RunningRequest {
  readonly id: number;
  operation: string;
  traceId: string;
  spanId: string;
  parentSpanId: string;
  /** By the clock of `performance.now()`, and epoch milliseconds. */
  readonly began: number;
  readonly beganAt: number;
  /** What it waits for now, the last begun last. */
  readonly waits: Map<unknown, Wait>;
  /** Whether its ids are those of OpenTelemetry's own span. */
  fromSdk: boolean;
}

/** How a request ended. */
export interface EndedRequest {
  readonly request: RunningRequest;
  readonly endedAt: number;
  readonly status: number;
}

/** Requests, and waits of one, that are held at a time; further ones are not followed. */
const MOST_RUNNING = 10_000;
const MOST_WAITS = 200;
const MOST_ENDED = 5_000;
/** A request that took so long was reported as running: that it has ended is told too. */
const SLOW_MS = 100;

export const storage = new AsyncLocalStorage<RunningRequest>();
export const running = new Map<number, RunningRequest>();
/** Those that are still to be reported. */
export const ended: EndedRequest[] = [];
/** The last ones, whether reported or not: samples are labelled by them, and a look says how one ended. */
export const lately: EndedRequest[] = [];
let lastId = 0;

/** Called when the program turns to another request, or to none. */
let onTurn: ((request: RunningRequest | undefined) => void) | undefined;

export function watchTurns(watch: typeof onTurn): void {
  onTurn = watch;
}

/** Calls `onTurn` while a profile is taken. It costs something on each turn, so it is off otherwise. */
const turnHook = createHook({
  before() {
    onTurn?.(storage.getStore());
  },
});

export function followTurns(isOn: boolean): void {
  if (isOn) turnHook.enable();
  else turnHook.disable();
}

/**
 * Where the program is, to be written out later: taking it costs a few microseconds, writing it many. As many frames as the program itself has
 * in its errors: setting `Error.stackTraceLimit` for each would cost four times as much as the capture.
 */
export function capture(): { readonly stack?: string } {
  const holder: { stack?: string } = {};
  Error.captureStackTrace(holder, capture);
  return holder;
}

/** Something with a name that the present request begins to wait for. @returns what ends it */
export function beginWait(kind: string, what: string, statement = ''): () => void {
  const request = currentRequest();
  if (!request || request.waits.size >= MOST_WAITS) return nothing;
  const key = {};
  request.waits.set(key, { kind, what, statement, at: capture() });
  return () => request.waits.delete(key);
}

function nothing(): void {}

/** Works on a request: what is done within, and whatever that leads to, belongs to it. */
export function withinRequest<T>(
  operation: string,
  traceparent: string | undefined,
  work: (request: RunningRequest | undefined) => T,
): T {
  if (running.size >= MOST_RUNNING) return work(undefined);
  const parent = /^00-([0-9a-f]{32})-([0-9a-f]{16})-/.exec(traceparent ?? '');
  const request: RunningRequest = {
    id: ++lastId,
    operation,
    traceId: parent?.[1] ?? randomBytes(16).toString('hex'),
    spanId: randomBytes(8).toString('hex'),
    parentSpanId: parent?.[2] ?? '',
    began: performance.now(),
    beganAt: Date.now(),
    waits: new Map(),
    fromSdk: false,
  };
  running.set(request.id, request);
  takeFromSdk(request);
  return storage.run(request, () => {
    onTurn?.(request);
    try {
      return work(request);
    } finally {
      onTurn?.(undefined);
    }
  });
}

let sendsAll = false;

/** Whether the spans of all requests are reported, where no SDK does so. */
export function reportAll(isSo: boolean): void {
  sendsAll = isSo;
}

/** A request has ended; once. */
export function endRequest(request: RunningRequest, status: number): void {
  if (!running.delete(request.id)) return;
  request.waits.clear();
  // Most requests are short and go well: their spans are for those who trace.
  const isReported = sendsAll || status >= 500 || performance.now() - request.began >= SLOW_MS;
  for (const list of isReported ? [ended, lately] : [lately]) {
    list.push({ request, endedAt: Date.now(), status });
    if (list.length > 1.2 * MOST_ENDED) list.splice(0, list.length - MOST_ENDED);
  }
}

/** The request that the program works on at this moment. */
export function currentRequest(): RunningRequest | undefined {
  const request = storage.getStore();
  if (request && !request.fromSdk) takeFromSdk(request);
  return request;
}

interface SdkApi {
  readonly context?: { active(): unknown };
  readonly trace?: {
    getTracerProvider?(): unknown;
    getDelegate?(): unknown;
  };
}

/** The key under which OpenTelemetry's API keeps the active span in its context. */
const SPAN_KEY = Symbol.for('OpenTelemetry Context Key SPAN');
const API_KEY = Symbol.for('opentelemetry.js.api.1');

/** Where OpenTelemetry's SDK is at work, the request is known by the ids of its span. */
function takeFromSdk(request: RunningRequest): void {
  const api = (globalThis as { [API_KEY]?: SdkApi })[API_KEY];
  const active = api?.context?.active() as
    | { getValue?(key: symbol): { spanContext?(): { traceId: string; spanId: string } } | undefined }
    | undefined;
  const span = active?.getValue?.(SPAN_KEY)?.spanContext?.();
  if (!span || /^0+$/.test(span.traceId)) return;
  request.traceId = span.traceId;
  request.spanId = span.spanId;
  request.fromSdk = true;
}

/** Whether OpenTelemetry's SDK is there: then its spans are sent, not ours. */
export function hasSdk(): boolean {
  const api = (globalThis as { [API_KEY]?: SdkApi })[API_KEY];
  return api?.trace !== undefined;
}

/** A running request as it stands at one moment. */
export interface SeenRequest {
  readonly id: number;
  readonly operation: string;
  readonly traceId: string;
  readonly spanId: string;
  readonly ageMs: number;
  readonly wait: string;
  readonly what: string;
  readonly statement: string;
  readonly stack: string;
  /** Whether the program works on it at this very moment. */
  readonly onCpu: boolean;
  /** How many running requests it stands for: more than one where only some are taken. */
  readonly standsFor: number;
}

/** Requests of one answer, at most: writing them out takes the program's own time. */
const MOST_SEEN = 300;
const MOST_SAMPLED = 100;

/** The running requests that are older than so many milliseconds, or those of one trace; the oldest first. */
export function seenRequests(olderThanMs: number, traceId = ''): SeenRequest[] {
  const now = performance.now();
  const seen: SeenRequest[] = [];
  // They are held in the order in which they began.
  for (const request of running.values()) {
    if (seen.length >= MOST_SEEN) break;
    if (traceId === '' && now - request.began < olderThanMs) break;
    if (traceId === '' || request.traceId === traceId) seen.push(seenAt(request, now, 1));
  }
  return seen;
}

/** Some of the running requests, evenly by their age: each stands for as many as were passed over. */
export function sampledRequests(): SeenRequest[] {
  const now = performance.now();
  const step = Math.max(1, running.size / MOST_SAMPLED);
  const seen: SeenRequest[] = [];
  let at = 0;
  let next = Math.random() * (step - 1);
  for (const request of running.values()) {
    if (at++ < next) continue;
    seen.push(seenAt(request, now, step));
    next += step;
  }
  return seen;
}

function seenAt(request: RunningRequest, now: number, standsFor: number): SeenRequest {
  const wait = lastWait(request);
  return {
    id: request.id,
    operation: request.operation,
    traceId: request.traceId,
    spanId: request.spanId,
    ageMs: now - request.began,
    wait: wait?.kind ?? '',
    what: wait?.what ?? '',
    statement: wait?.statement ?? '',
    stack: wait?.at.stack ?? '',
    onCpu: request === storage.getStore(),
    standsFor,
  };
}

/** What was begun last is what it waits for. */
function lastWait({ waits }: RunningRequest): Wait | undefined {
  let last: Wait | undefined;
  for (const wait of waits.values()) last = wait;
  return last;
}
