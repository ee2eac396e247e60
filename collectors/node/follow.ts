import { subscribe } from 'node:diagnostics_channel';
import files from 'node:fs/promises';
import http, { type ClientRequest, type IncomingMessage, type ServerResponse } from 'node:http';
import https from 'node:https';
import Module from 'node:module';
import timers from 'node:timers';
import timerPromises from 'node:timers/promises';
import { beginWait, currentRequest, endRequest, withinRequest } from './registry.ts';

/** Follows requests that come in over HTTP, and what they wait for: other services, databases. */
export function followProgram(): void {
  followServers();
  followClients();
  followDatabases();
  followTimers();
  followFiles();
  // Modules that name what they import see the same as those that ask for it.
  Module.syncBuiltinESMExports();
}

/** Each request that a server of the program is asked is one. */
function followServers(): void {
  for (const { Server } of [http, https]) {
    const emit = Server.prototype.emit;
    Server.prototype.emit = function (this: unknown, name: string, ...args: unknown[]) {
      if (name !== 'request') return Reflect.apply(emit, this, [name, ...args]);
      const [request, response] = args as [IncomingMessage, ServerResponse];
      const operation = `${request.method ?? 'GET'} ${routeOf(request.url ?? '/')}`;
      const traceparent = String(request.headers.traceparent ?? '');
      return withinRequest(operation, traceparent, (running) => {
        if (running)
          response.once('close', () => {
            // Frameworks know the route only once they have found it.
            const route = (request as { route?: { path?: unknown } }).route?.path;
            if (typeof route === 'string') running.operation = `${request.method} ${route}`;
            endRequest(running, response.writableFinished ? response.statusCode : 499);
          });
        return Reflect.apply(emit, this, [name, ...args]);
      });
    } as typeof emit;
  }
}

/** A path without what changes from request to request. */
function routeOf(url: string): string {
  const [path] = url.split(/[?#]/, 1);
  return path
    .split('/')
    .slice(0, 8)
    .map((part) => (/^\d+$|^[0-9a-f]{8,}$|^[0-9a-f-]{32,}$|\d{4,}/i.test(part) ? '{id}' : part.slice(0, 60)))
    .join('/');
}

function followClients(): void {
  subscribe('http.client.request.start', (message) => {
    const { request } = message as { request: ClientRequest };
    const end = beginWait('http', request.getHeader('host')?.toString() ?? '');
    request.once('close', end);
  });
  const fetches = new WeakMap<object, () => void>();
  subscribe('undici:request:create', (message) => {
    const { request } = message as { request: { origin?: unknown } };
    fetches.set(request, beginWait('http', String(request.origin ?? '')));
  });
  const ends = (message: unknown) => {
    const { request } = message as { request: object };
    fetches.get(request)?.();
  };
  subscribe('undici:request:trailers', ends);
  subscribe('undici:request:error', ends);
}

type Callable = (...args: unknown[]) => unknown;

/** Timers that a request waits for. Those of a repeating kind are no waits. */
function followTimers(): void {
  const plain = globalThis.setTimeout;
  const followed = function (this: unknown, callback: Callable, ms?: number, ...more: unknown[]) {
    if (!currentRequest() || typeof callback !== 'function') return Reflect.apply(plain, this, [callback, ms, ...more]);
    const end = beginWait('timer', 'timer');
    return Reflect.apply(plain, this, [
      (...args: unknown[]) => {
        end();
        return callback(...args);
      },
      ms,
      ...more,
    ]);
  };
  // What is there beside the function itself, such as how it is made a promise.
  for (const key of Reflect.ownKeys(plain)) {
    const own = Object.getOwnPropertyDescriptor(plain, key);
    if (own && key !== 'length' && key !== 'prototype') Object.defineProperty(followed, key, { ...own, configurable: true });
  }
  globalThis.setTimeout = followed as unknown as typeof setTimeout;
  (timers as { setTimeout: unknown }).setTimeout = followed;
  followPromises(timerPromises as unknown as Record<string, unknown>, ['setTimeout'], 'timer');
}

/** Files that a request waits for: what gives a promise. */
function followFiles(): void {
  const names = ['readFile', 'writeFile', 'open', 'readdir', 'stat', 'mkdir', 'rm', 'copyFile'];
  followPromises(files as unknown as Record<string, unknown>, names, 'file');
}

function followPromises(of: Record<string, unknown>, names: readonly string[], kind: string): void {
  for (const name of names) {
    const plain = of[name] as Callable;
    const followed = function (this: unknown, ...args: unknown[]) {
      if (!currentRequest()) return Reflect.apply(plain, this, args);
      const end = beginWait(kind, name);
      const result = Reflect.apply(plain, this, args) as Promise<unknown>;
      result.then(end, end);
      return result;
    };
    Object.defineProperty(followed, 'name', { value: name });
    of[name] = followed;
  }
}

interface Query {
  readonly text?: string;
  readonly callback?: unknown;
}

/** Statements of the `pg` driver: its client is followed as soon as the program loads it. */
function followDatabases(): void {
  const loader = Module as unknown as { _load(request: string, ...more: unknown[]): unknown };
  const load = loader._load;
  const done = new WeakSet<object>();
  loader._load = function (this: unknown, request: string, ...more: unknown[]) {
    const loaded = load.call(this, request, ...more);
    if (!/(?:^|[\\/])pg(?:[\\/]lib[\\/]index\.js)?$/.test(request)) return loaded;
    const { Client } = loaded as { Client?: { prototype: { query(...args: unknown[]): unknown } } };
    if (!Client || done.has(Client)) return loaded;
    done.add(Client);
    const { query } = Client.prototype;
    Client.prototype.query = function (this: unknown, ...args: unknown[]) {
      const [first] = args as [string | Query | undefined];
      const text = typeof first === 'string' ? first : (first?.text ?? '');
      const end = beginWait('database', 'pg', text.slice(0, 4_000));
      const at = args.findIndex((it) => typeof it === 'function');
      if (at >= 0) {
        const given = args[at] as (...found: unknown[]) => unknown;
        args[at] = function (this: unknown, ...found: unknown[]) {
          end();
          return given.apply(this, found);
        };
      }
      const result = query.apply(this as never, args);
      if (result instanceof Promise) result.then(end, end);
      else if (at < 0) end();
      return result;
    };
    return loaded;
  };
}
