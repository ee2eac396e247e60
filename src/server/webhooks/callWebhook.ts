import { createHmac } from 'node:crypto';
import { lookup } from 'node:dns/promises';
import { request as plainRequest } from 'node:http';
import { request as secureRequest } from 'node:https';
import { type BlockList, isIP, type LookupFunction } from 'node:net';
import { isReachable } from './reachable.ts';

const LONGEST_MS = 5_000;
/** Of an answer no more is read than it takes to know that there is one. */
const MOST_READ = 65_536;

/** What is sent beside the body: when, and by whom as only who has the secret can tell. */
export function signatureOf(secret: string, sent: string, body: string): string {
  return `sha256=${createHmac('sha256', secret).update(`${sent}.${body}`).digest('hex')}`;
}

/**
 * Calls a webhook once. The name is looked up here, each of its addresses is held against what may be reached, and the connection goes to
 * the address that was looked at; an answer that leads elsewhere is not followed.
 *
 * @param secret that the call is signed with; empty for none
 * @returns why it was not delivered; empty when it was
 */
export async function callWebhook(
  address: string,
  body: string,
  { secret, allowed, now = Date.now() }: { readonly secret: string; readonly allowed: BlockList; readonly now?: number },
): Promise<string> {
  const url = new URL(address);
  const host = url.hostname.replace(/^\[(.*)\]$/, '$1');
  const found = isIP(host)
    ? [{ address: host, family: isIP(host) }]
    : await lookup(host, { all: true }).catch((error: Error) => error);
  if (found instanceof Error) return `the name ${host} is not known: ${found.message}`;
  const refused = found.find((it) => !isReachable(it.address, allowed));
  if (refused || found.length === 0)
    return `${host} is ${refused?.address ?? 'nowhere'}, which is not public: start the application with --webhook-allow to allow it`;
  const sent = String(Math.floor(now / 1000));
  const headers = {
    'content-type': 'application/json',
    'content-length': Buffer.byteLength(body),
    'user-agent': 'dusk-lantern',
    'lantern-sent': sent,
    ...(secret === '' ? {} : { 'lantern-signature': signatureOf(secret, sent, body) }),
  };
  // The connection goes to what was looked at, whatever the name leads to by now.
  const looked: LookupFunction = (_, options, answer) =>
    options.all ? answer(null, found) : answer(null, found[0].address, found[0].family);
  const send = url.protocol === 'https:' ? secureRequest : plainRequest;
  return new Promise((resolve) => {
    const request = send(url, { method: 'POST', headers, lookup: looked, agent: false, signal: AbortSignal.timeout(LONGEST_MS) });
    request.on('response', (response) => {
      const status = response.statusCode ?? 0;
      let read = 0;
      response.on('data', (part: Buffer) => {
        read += part.length;
        if (read > MOST_READ) request.destroy();
      });
      response.on('error', () => {});
      resolve(status >= 200 && status < 300 ? '' : `it answered ${status}`);
    });
    request.on('error', (error) =>
      resolve(error.name === 'AbortError' ? `no answer within ${LONGEST_MS / 1000} s` : error.message),
    );
    request.end(body);
  });
}
