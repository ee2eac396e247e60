import { rmSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { giveWay } from '../life/giveWay.ts';
import { withinRequest } from '../requests/requestContext.ts';
import { type FromDrawing, HANDED_HEADER, type Handed } from './messages.ts';

/*
 * The process that draws pages: Astro's handler behind a socket that only the process that answers can reach. It has no store; what a page
 * shows it asks of that process, and what takes long to draw holds up no one who sends or asks.
 */

/** In the terms of the operating system: what comes in goes before, long computations after. */
const NICER = 2;
const BEAT_MS = 1_000;
const IDLE_MS = 600_000;
/** What was taken of the one who asks, and what is handed on beside it, such as roles in many environments; bytes. */
const LONGEST_HEAD = 2 ** 18;

giveWay(NICER);

type Handler = (request: IncomingMessage, response: ServerResponse, next: undefined, locals: App.Locals) => void;

const entry = pathToFileURL(resolve('dist/server/entry.mjs')).href;
const { handler } = (await import(/* @vite-ignore */ entry)) as { handler: Handler };

const say = (message: FromDrawing) => process.send?.(message);
const socketPath = process.argv[2];

const server = createServer({ maxHeaderSize: LONGEST_HEAD }, (request, response) => {
  const handed = JSON.parse(decodeURIComponent(String(request.headers[HANDED_HEADER]))) as Handed;
  delete request.headers[HANDED_HEADER];
  // Pages show the address by which they were reached.
  Object.assign(request.socket, { encrypted: handed.isSecure });
  const left = new AbortController();
  response.once('close', () => {
    if (!response.writableFinished) left.abort();
  });
  withinRequest({ address: handed.owner, left: left.signal, handed }, () =>
    handler(request, response, undefined, { incoming: request, owner: handed.owner }),
  );
});
// Of a process that was here before.
rmSync(socketPath, { force: true });
server.listen(socketPath, () => say({ listening: socketPath }));
// A connection that closes just as it is used again would be a page that is lost.
server.keepAliveTimeout = IDLE_MS;
setInterval(() => say({ beat: true }), BEAT_MS).unref();

process.on('SIGTERM', () => {});
process.on('SIGINT', () => {});
process.on('disconnect', () => process.exit(0));
