import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type RequestListener, type Server, type ServerResponse } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import compression from 'compression';
import sirv from 'sirv';
import { startAnalysis, stopAnalysis } from '../analysis/pool.ts';
import { standInForMarks } from '../core/scope/pathMarks.ts';
import { startIntake, stopIntake } from '../intake/process/acceptElsewhere.ts';
import { takeInAgain } from '../intake/takeInAgain.ts';
import { startDrawing, stopDrawing } from './drawing/drawing.ts';
import { DRAWN_PATH, isPage } from './drawing/isPage.ts';
import { keepHouse, retentionSettings } from './housekeeping.ts';
import { drainRest } from './requests/drainRest.ts';
import { comesFrom, isOwnName } from './requests/hostNames.ts';
import { QUESTION_HEADER, questionName } from './requests/questions.ts';
import { withinRequest } from './requests/requestContext.ts';
import { isForeignOrigin, isFrameworkPath, isFromForeignPage, plainPath } from './requests/strangers.ts';
import { traceSelf, untraced } from './selfTrace.ts';
import { keepWatch } from './watch/watch.ts';
import { keepDelivering } from './webhooks/deliver.ts';

/*
 * The process that answers: Astro's handler behind an HTTP server of our own, which knows how to end in good order. Its parent
 * tells it where to listen and which store to use by HOST, PORT and DATABASE_URL, and hears from it over the channel between them.
 */

type Handler = (request: IncomingMessage, response: ServerResponse, next: undefined, locals: App.Locals) => void;

const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT);

const entry = pathToFileURL(resolve('dist/server/entry.mjs')).href;
const { handler } = (await import(/* @vite-ignore */ entry)) as { handler: Handler };

/** The files of the pages, which are known from the start. Those that have the hash of what is in them in their name never change. */
const serveFile = sirv(resolve('dist/client'), {
  etag: true,
  brotli: true,
  gzip: true,
  extensions: [],
  setHeaders: (response, path) => {
    // Pages of other sites may include it, whatever they ask of what they include.
    if (path === '/visits.js') response.setHeader('cross-origin-resource-policy', 'cross-origin');
    if (path.startsWith('/_astro/')) response.setHeader('cache-control', 'public, max-age=31536000, immutable');
  },
});

/** Pages and answers go out compressed, above a size at which that is worth it; files have been at the build. */
const compress = compression({ level: 4, threshold: 2048 }) as unknown as (
  request: IncomingMessage,
  response: ServerResponse,
  next: () => void,
) => void;

function handle(request: IncomingMessage, response: ServerResponse): void {
  try {
    decodeURI(request.url ?? '');
  } catch {
    refuse(response, 400, 'This address cannot be read.');
    return;
  }
  const address = standInForMarks(request.url ?? '/');
  const page = isPage(request.method ?? '', plainPath(address)) ? address : undefined;
  const render = () => {
    request.url = page === undefined ? address : DRAWN_PATH;
    handler(request, response, undefined, { incoming: request, page });
  };
  if (request.method === 'GET' || request.method === 'HEAD')
    serveFile(request, response, () => compress(request, response, render));
  else render();
}

function refuse(response: ServerResponse, status: number, why: string): void {
  response.writeHead(status, { 'content-type': 'text/plain; charset=utf-8' });
  response.end(`${why}\n`);
}

const listOf = (name: string) => (process.env[name] ?? '').split(',').filter(Boolean);
/** Names by which it is asked for, and proxies that are believed. */
const names = listOf('DUSK_NAMES');
const proxies = listOf('DUSK_PROXIES');
/** Of the address that people are given, with its port. */
const givenHost = process.env.DUSK_ADDRESS ? new URL(process.env.DUSK_ADDRESS).host : '';
const { DUSK_TLS_CERT: cert = '', DUSK_TLS_KEY: key = '' } = process.env;
const isTls = cert !== '';
// What this process starts need not know it.
delete process.env.DUSK_TLS_KEY;

/** The scripts that stand in pages, by which islands start: known at the build, each by its hash. */
const inlineScripts = JSON.parse(readFileSync(resolve('dist/server/inline-scripts.json'), 'utf8')) as readonly string[];

/** Nothing is fetched from or sent to elsewhere by a page, whatever stands in the data, and no script runs that stands in it. */
const CONTENT_POLICY = [
  "default-src 'self'",
  `script-src 'self' ${inlineScripts.map((it) => `'${it}'`).join(' ')}`,
  "connect-src 'self'",
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' data:",
  "font-src 'self' data:",
  "object-src 'none'",
  "base-uri 'none'",
  "form-action 'self'",
  "frame-ancestors 'none'",
].join('; ');

/** How browsers are told to treat what they get. */
const HEADERS = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'same-origin',
  'content-security-policy': CONTENT_POLICY,
  'cross-origin-opener-policy': 'same-origin',
  'permissions-policy': 'camera=(), geolocation=(), microphone=(), payment=(), usb=()',
};
const A_YEAR_S = 31_536_000;

const url = `${isTls ? 'https' : 'http'}://${host.includes(':') ? `[${host}]` : host}:${port}`;
const recorded = process.env.DUSK_TRACE_SELF === '1' ? traceSelf(url) : undefined;
const answer = recorded ?? untraced();

/** Connections at a time, of all and of one address: of one that has more, the next are closed. */
const MOST_CONNECTIONS = 2_000;
const MOST_OF_ONE = 1_000;
/** How long a sender may take for the head of a request. */
const HEAD_MS = 10_000;

const listener: RequestListener = (request, response) => {
  drainRest(request, response);
  for (const [name, value] of Object.entries(HEADERS)) response.setHeader(name, value);
  // No page from elsewhere can reach in by pointing its name here.
  if (!isOwnName(request.headers.host ?? '', host, names)) {
    refuse(response, 421, 'This application is not asked for by this name. Start it with --name to have it answered.');
    return;
  }
  if (request.method === 'TRACE') {
    response.setHeader('allow', 'GET, HEAD, POST, PUT');
    refuse(response, 405, 'TRACE is not answered.');
    return;
  }
  const path = plainPath(request.url ?? '');
  const ownHosts = [request.headers.host ?? '', givenHost, ...names];
  if (
    isFromForeignPage(request.method ?? '', path, request.headers) ||
    isForeignOrigin(request.method ?? '', path, request.headers.origin, ownHosts)
  ) {
    refuse(response, 403, 'A page of another site asked for this; it is answered to its own pages and to programs.');
    return;
  }
  if (isFrameworkPath(path)) {
    refuse(response, 404, 'There is nothing here.');
    return;
  }
  const { address, isSecure } = comesFrom(
    {
      remote: request.socket.remoteAddress ?? '',
      isEncrypted: 'encrypted' in request.socket,
      forwardedFor: String(request.headers['x-forwarded-for'] ?? ''),
      forwardedProto: String(request.headers['x-forwarded-proto'] ?? ''),
    },
    proxies,
  );
  if (isSecure) response.setHeader('strict-transport-security', `max-age=${A_YEAR_S}`);
  if (path !== '/visits.js') response.setHeader('cross-origin-resource-policy', 'same-origin');
  const question = questionName(request.headers[QUESTION_HEADER]?.toString());
  const left = new AbortController();
  response.once('close', () => {
    if (!response.writableFinished) left.abort();
  });
  answer(request, response, () =>
    withinRequest({ address, isSecure, left: left.signal, question }, () => handle(request, response)),
  );
};

const BOUNDS = { headersTimeout: HEAD_MS, connectionsCheckingInterval: 2_000 };
const server = isTls ? createSecureServer({ ...BOUNDS, cert, key }, listener) : createServer(BOUNDS, listener);
bound(server);
/** What was started with it, on this machine, need not know a certificate: a door of its own, on loopback alone. */
const inside = isTls ? createServer(BOUNDS, listener) : undefined;
if (inside) bound(inside);

function bound(it: Server): void {
  // A sender that stalls in the middle of a body is disconnected.
  it.requestTimeout = 60_000;
  // Longer than senders leave a connection idle: one that is closed just as it is used again is an error there.
  it.keepAliveTimeout = 65_000;
  // One who does not read the answer is not waited for either; a question takes two minutes at most.
  it.timeout = 180_000;
  it.maxConnections = MOST_CONNECTIONS;
}

const connectionsOf = new Map<string, number>();
server.on('connection', (socket) => {
  const address = socket.remoteAddress ?? '';
  const count = (connectionsOf.get(address) ?? 0) + 1;
  connectionsOf.set(address, count);
  socket.once('close', () => {
    const left = (connectionsOf.get(address) ?? 1) - 1;
    if (left > 0) connectionsOf.set(address, left);
    else connectionsOf.delete(address);
  });
  if (count > MOST_OF_ONE) socket.destroy();
});
server.on('error', (error) => {
  process.send?.({ failed: error.message });
  process.exit(1);
});
await Promise.all([startIntake(), startDrawing()]);
await new Promise<void>((listening) => (inside ? inside.listen(0, '127.0.0.1', listening) : listening()));
server.listen(port, host, () =>
  process.send?.({ listening: true, insidePort: inside ? (inside.address() as AddressInfo).port : undefined }),
);
if (recorded) process.env.DUSK_SELF_URL = url;
startAnalysis();
const stopHousekeeping = keepHouse(retentionSettings(), takeInAgain);
const stopDelivering = keepDelivering();
const stopWatch = keepWatch(() => process.env.DUSK_ADDRESS ?? url);

function end(): void {
  stopHousekeeping();
  stopWatch();
  stopDelivering();
  void stopAnalysis();
  void recorded?.end();
  // What is under way is answered; idle connections close at once.
  server.close(() => {
    stopIntake();
    stopDrawing();
    process.exit(0);
  });
  inside?.close();
  server.closeIdleConnections();
  setTimeout(() => process.exit(0), 5_000).unref();
}

process.on('SIGTERM', end);
// The interrupt of a terminal reaches this process too; the parent decides what it means.
process.on('SIGINT', () => {});
process.on('disconnect', end);
