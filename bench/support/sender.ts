import { readFileSync } from 'node:fs';
import { Agent, request } from 'node:http';

/*
 * The process that sends: it is told by its parent what to post, and reports how long it took. It does so at the least cost to the
 * machine, which both ends share.
 */

/** Bodies to be sent, which lie one after the other in a file. */
export interface SendOrder {
  readonly url: string;
  readonly file: string;
  readonly lengths: readonly number[];
  /** Requests under way at once. */
  readonly senders: number;
  /** That is sent with them; empty for none. */
  readonly token: string;
}

export interface SendReport {
  readonly seconds: number;
  /** Of the processor, that the sending itself took. */
  readonly ownSeconds: number;
  /** How long each request took, retried ones included. */
  readonly requestMs: readonly number[];
}

/** Connections stay open, as those of senders do. */
const AGENT = new Agent({ keepAlive: true });

process.on('message', (order: SendOrder) => void send(order).then((report) => process.send?.(report)));

async function send({ url, file, lengths, senders, token }: SendOrder): Promise<SendReport> {
  const all = readFileSync(file);
  const bodies: Buffer[] = [];
  let at = 0;
  for (const length of lengths) {
    bodies.push(all.subarray(at, at + length));
    at += length;
  }
  const requestMs: number[] = [];
  let next = 0;
  const sender = async () => {
    while (next < bodies.length) await sendOne(url, bodies[next++], token, requestMs);
  };
  const before = process.cpuUsage();
  const began = performance.now();
  await Promise.all(Array.from({ length: senders }, sender));
  const seconds = (performance.now() - began) / 1000;
  const { user, system } = process.cpuUsage(before);
  return { seconds, ownSeconds: (user + system) / 1e6, requestMs };
}

async function sendOne(url: string, body: Buffer, token: string, requestMs: number[]): Promise<void> {
  for (;;) {
    const began = performance.now();
    const status = await post(url, body, token);
    requestMs.push(performance.now() - began);
    if (status === 200) return;
    if (status !== 503) throw new Error(`the door answered ${status}`);
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}

/** @returns the status of the answer, when all of it came */
function post(url: string, body: Buffer, token: string): Promise<number> {
  return new Promise((resolve, reject) => {
    const headers = {
      'content-type': 'application/x-protobuf',
      'content-length': body.length,
      ...(token === '' ? {} : { authorization: `Bearer ${token}` }),
    };
    const sent = request(url, { method: 'POST', agent: AGENT, headers }, (answer) => {
      answer.on('end', () => resolve(answer.statusCode ?? 0)).on('error', reject);
      answer.resume();
    });
    sent.on('error', reject);
    sent.end(body);
  });
}
