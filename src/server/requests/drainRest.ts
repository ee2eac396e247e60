import type { IncomingMessage, ServerResponse } from 'node:http';

/** So much of a body that nobody wants is let pass, for so long; then the connection is cut. */
const MOST_BYTES = 64 * 2 ** 20;
const LONGEST_MS = 10_000;

/**
 * Lets pass what still comes of a body when its answer was given before all of it was read. A sender that is cut off while it writes may
 * never see the answer; and on a connection that stays, the rest would stand before the next request.
 */
export function drainRest(request: IncomingMessage, response: ServerResponse): void {
  response.once('finish', () => {
    if (request.complete || request.destroyed) return;
    let left = MOST_BYTES;
    const cut = () => request.socket.destroy();
    const timer = setTimeout(cut, LONGEST_MS);
    request.once('close', () => clearTimeout(timer));
    request.once('end', () => clearTimeout(timer));
    // Who read it before has given up, and would hold it back.
    request.removeAllListeners('data').removeAllListeners('readable');
    request.on('data', (part: Buffer) => {
      left -= part.length;
      if (left < 0) cut();
    });
    request.resume();
  });
}
