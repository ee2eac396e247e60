import { spawnSync } from 'node:child_process';
import { randomInt } from 'node:crypto';
import { readJsonRequest } from '../src/formats/otlp/json/fromJson.ts';
import { encodeTracesProtobuf } from '../src/formats/otlp/span/encodeProtobuf.ts';
import { REQUESTS, SIGNALS, type Signal } from '../src/formats/otlp/wire/messages.ts';
import { Refusals } from '../src/formats/otlp/wire/refusal.ts';
import { writeRequest } from '../src/formats/otlp/wire/request.ts';
import { PATHS } from '../src/formats/otlp/wire/send.ts';
import { build, isBuilt } from '../src/server/build.ts';
import { install } from '../tests/support/installation.ts';
import { toOtlpJson } from '../tests/support/made/otlpJson.ts';
import { logs, metricsOfEachKind, profiles } from '../tests/support/made/otlpSignals.ts';
import { makeSpans } from '../tests/support/made/traceMaker.ts';
import { getJson, JSON_TYPE, PROTOBUF, post } from '../tests/support/sending.ts';
import { benchQuestions } from './questions.ts';
import { print } from './support/load.ts';

const SENDERS = 16;

/**
 * Bodies that were right and are not any more, thrown at every door in both encodings: whatever comes is answered with 200 or 400, the
 * process lives, its memory does not grow, and all that was kept can be read. Before that, nonsense at every endpoint and page while one
 * sends and one looks.
 *
 * @param each how many bodies for each encoding
 */
export async function benchFuzz(each = 100_000): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const seeds = seedBodies();
  const statuses = new Map<number, number>();
  let sent = 0;
  const memory: number[] = [];
  const rss = () =>
    Number(spawnSync('ps', ['-o', 'rss=', '-p', String(dusk.application.pid)], { encoding: 'utf8' }).stdout) / 1024;
  const total = 2 * each;
  const sender = async () => {
    while (sent < total) {
      const number = sent++;
      const { signal, type, body } = seeds[number % seeds.length];
      const answer = await post(dusk.url, type === PROTOBUF ? mutatedBytes(body) : mutatedText(body), type, {}, PATHS[signal]);
      await answer.arrayBuffer();
      statuses.set(answer.status, (statuses.get(answer.status) ?? 0) + 1);
      if (number % Math.ceil(total / 10) === 0) memory.push(rss());
    }
  };
  try {
    await benchQuestions(dusk, Math.max(3_000, Math.round(each / 20)));
    await Promise.all(Array.from({ length: SENDERS }, sender));
    print('bodies sent', String(sent));
    print('answers', [...statuses].map(([status, count]) => `${count} × ${status}`).join(', '));
    print('memory over time, MiB', memory.map((mib) => mib.toFixed(0)).join(' '));
    let read = 0;
    let cursor = '';
    do {
      const page: { traces: { traceId: string }[]; nextCursor: string | null } = await getJson(
        dusk.url,
        `/api/traces?limit=1000${cursor}`,
      );
      for (const { traceId } of page.traces.slice(0, 200)) {
        await getJson(dusk.url, `/api/traces/${traceId}`);
        read++;
      }
      cursor = page.nextCursor ? `&cursor=${page.nextCursor}` : '';
    } while (cursor);
    for (const signal of SIGNALS) {
      const lines = (await (await fetch(`${dusk.url}/api/export/${signal}`)).text()).split('\n').filter(Boolean);
      for (const line of lines) JSON.parse(line)[REQUESTS[signal].resources].length;
      print(`requests of ${signal} that can be exported`, String(lines.length));
    }
    print('traces read back', String(read));
    const errors = dusk.log().match(/^.*Error.*$/gm) ?? [];
    print('errors in the log', String(errors.length));
    for (const line of [...new Set(errors)].slice(0, 5)) console.log(`    ${line.slice(0, 200)}`);
  } catch (error) {
    console.error(dusk.log().slice(-4_000));
    throw error;
  } finally {
    await dusk.stop();
  }
}

function seedBodies(): { signal: Signal; type: string; body: Buffer }[] {
  const at = Date.now();
  const spans = makeSpans(
    { id: 0, from: 0, to: 9, attributes: { a: 1, b: 'two', 'user.id': 'u' } },
    { id: 1, parent: 0, from: 1, to: 5, kind: 'client' },
  );
  const json: Record<Signal, unknown> = {
    traces: toOtlpJson(spans),
    logs: logs('holds', [
      { atMs: at, text: 'ahoy ines@osier-reach.example' },
      { atMs: at, body: { kvlistValue: { values: [{ key: 'a', value: { intValue: '1' } }] } } },
    ]),
    metrics: metricsOfEachKind('berths', at),
    profiles: profiles('layout', at),
  };
  return SIGNALS.flatMap((signal) => {
    const text = JSON.stringify(json[signal]);
    const bytes = signal === 'traces' ? encodeTracesProtobuf(spans) : writeRequest(readJsonRequest(text, signal, new Refusals()));
    return [
      { signal, type: PROTOBUF, body: Buffer.from(bytes) },
      { signal, type: JSON_TYPE, body: Buffer.from(text) },
    ];
  });
}

function mutatedBytes(body: Buffer): Buffer {
  const bytes = Buffer.from(body);
  for (let change = randomInt(5); change >= 0; change--) bytes[randomInt(bytes.length)] = randomInt(256);
  return randomInt(4) === 0 ? bytes.subarray(0, randomInt(bytes.length)) : bytes;
}

const PIECES = [
  '"',
  '{',
  '}',
  '[',
  ']',
  ',',
  ':',
  'null',
  '-1',
  '1e400',
  '""',
  '99999999999999999999',
  '\\u0000',
  'true',
  '"\\ud800"',
  'é',
];

function mutatedText(body: Buffer): string {
  let text = body.toString();
  for (let change = randomInt(3); change >= 0; change--) {
    const at = randomInt(text.length);
    text = text.slice(0, at) + PIECES[randomInt(PIECES.length)] + text.slice(at + randomInt(6));
  }
  return text;
}
